// Movies against ffmpeg's own decode of every frame (the ffmpeg program of the same libraries, by its own path: whole
// file, in order).
#include "core/image/movie.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <cstring>
#include <fstream>
#include <numeric>
#include <random>
#include <thread>

#include "core/base/files.h"
#include "core/edit/new_shot.h"
#include "core/image/plate.h"
#include "core/shot/shot.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

struct Kind {
  const char* name;
  const char* ending;
  const char* rate;
  const char* coding;
};

constexpr int kW = 192, kH = 108, kFrames = 49;

const Kind kKinds[] = {
    {"H.264, B-frames", "mp4", "24", "-c:v libx264 -pix_fmt yuv420p -bf 3 -g 12 -x264-params open-gop=0 -qp 12"},
    {"H.264, open groups", "mov", "24000/1001",
     "-c:v libx264 -pix_fmt yuv420p -bf 3 -g 10 -x264-params open-gop=1 -qp 12"},
    {"H.264, full range", "mp4", "25", "-c:v libx264 -pix_fmt yuv420p -color_range pc -bf 2 -g 250 -qp 12"},
    {"HEVC", "mp4", "30000/1001",
     "-c:v libx265 -pix_fmt yuv420p10le -x265-params bframes=4:open-gop=1:keyint=15:log-level=none -qp 12"},
    {"ProRes", "mov", "24", "-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le"},
    {"ProRes with alpha", "mov", "24", "-c:v prores_ks -profile:v 4444 -pix_fmt yuva444p10le"},
    {"MJPEG", "avi", "25", "-c:v mjpeg -q:v 2 -pix_fmt yuvj420p"},
    {"H.264 without time stamps", "avi", "25", "-c:v libx264 -pix_fmt yuv420p -bf 2 -g 12 -qp 12"},
};

void inShell(const std::string& command) {
  std::string printed;
  ASSERT_EQ(0, test::runCommand(command, &printed)) << command << "\n" << printed;
}

/// A moving, counting pattern.
std::string make(const test::Folder& folder, const Kind& k) {
  const std::string file = (folder / (std::string("movie.") + k.ending)).string();
  inShell(
      fmt::format("ffmpeg -v error -y -f lavfi -i testsrc2=size={}x{}:rate={} -frames:v {} -vf "
                  "scale=out_color_matrix=bt601{} {} -colorspace smpte170m {}",
                  kW, kH, k.rate, kFrames,
                  std::string(k.coding).find("yuvj") != std::string::npos ||
                          std::string(k.coding).find("range pc") != std::string::npos
                      ? ":out_range=pc"
                      : "",
                  k.coding, file));
  return file;
}

std::vector<std::vector<uint16_t>> byFfmpeg(const test::Folder& folder, const std::string& file) {
  const std::string raw = (folder / "raw").string();
  inShell(fmt::format(
      "ffmpeg -v error -y -i {} -vsync passthrough -sws_flags bicubic+accurate_rnd+full_chroma_int+full_chroma_inp "
      "-pix_fmt rgba64le -f rawvideo {}",
      file, raw));
  const std::string all = readText(raw);
  const size_t one = size_t{kW} * kH * 4;
  std::vector<std::vector<uint16_t>> out(all.size() / (2 * one));
  for (size_t i = 0; i < out.size(); ++i) {
    out[i].resize(one);
    std::memcpy(out[i].data(), all.data() + 2 * one * i, 2 * one);
  }
  return out;
}

double worst(const std::vector<uint16_t>& a, const std::vector<uint16_t>& b) {
  int most = 0;
  for (size_t i = 0; i < a.size(); ++i) most = std::max(most, std::abs(int(a[i]) - int(b[i])));
  return most / 257.0;
}

}  // namespace

TEST(Movies, EveryFrameInAnyOrderIsWhatFfmpegDecodes) {
  for (const Kind& k : kKinds) {
    SCOPED_TRACE(k.name);
    const test::Folder folder;
    const std::string file = make(folder, k);
    const auto truth = byFfmpeg(folder, file);
    const auto facts = image::movieFacts(file);
    ASSERT_EQ(facts.frames, kFrames);
    ASSERT_EQ(truth.size(), size_t{kFrames});
    EXPECT_LT(facts.longestMs - facts.shortestMs, 1.5);
    std::vector<int> forward(kFrames);
    std::iota(forward.begin(), forward.end(), 0);
    std::vector<int> backward(forward.rbegin(), forward.rend()), random = forward;
    std::shuffle(random.begin(), random.end(), std::mt19937(4));
    random.resize(static_cast<size_t>(test::some(kFrames / 3, kFrames)));
    double most = 0;
    for (const auto& order : {forward, backward, random}) {
      image::Movie movie(file);
      for (const int f : order) {
        const double d = worst(movie.read(f), truth[static_cast<size_t>(f)]);
        EXPECT_LE(d, 1) << "frame " << f + 1;
        most = std::max(most, d);
      }
    }
    // The frames differ among each other, so that one cannot stand in for another.
    EXPECT_GT(worst(truth[46], truth[48]), 10);
    std::printf("%s: %d frames, %.3f fps, off by %.2f / 255 at the most\n", k.name, facts.frames, facts.fps, most);
  }
}

TEST(Movies, FullRangeIsNotStretched) {
  const test::Folder folder;
  const std::string file = (folder / "grey.avi").string();
  inShell(
      "ffmpeg -v error -y -f lavfi -i color=0x404040:size=64x64:rate=25 -frames:v 2 -vf scale=out_range=pc "
      "-c:v mjpeg -q:v 2 -pix_fmt yuvj420p " +
      file);
  image::Movie movie(file);
  EXPECT_NEAR(movie.read(1)[4 * (32 * 64 + 32)] / 257.0, 0x40, 1);
}

TEST(Movies, WhiteIsOneAndBlackIsNothingInEveryKind) {
  // Codes by definition: 16 to 235 in limited range, all of them in full (Rec. ITU-R BT.709, 4.6; BT.2100, table 9).
  const test::Folder folder;
  const struct {
    const char *ending, *coding;
    double mostOff;  ///< of 65535
  } kinds[] = {{"mkv", "-c:v ffv1 -pix_fmt yuv420p", 6},
               {"mkv", "-c:v ffv1 -pix_fmt yuv422p10le", 6},
               {"mkv", "-c:v ffv1 -pix_fmt yuv444p12le", 6},
               {"mkv", "-c:v ffv1 -pix_fmt yuva444p10le", 6},
               {"avi", "-c:v mjpeg -q:v 1 -pix_fmt yuvj444p", 6},
               {"mp4", "-c:v libx264 -pix_fmt yuv420p -qp 0", 6},
               {"mov", "-c:v qtrle -pix_fmt rgb24", 0},
               {"mov", "-c:v png -pix_fmt rgba", 0},
               {"mkv", "-c:v ffv1 -pix_fmt gray", 6}};
  for (const auto& k : kinds)
    for (const auto& [colour, value] : {std::pair{"white", 65535.0}, {"black", 0.0}}) {
      SCOPED_TRACE(std::string(k.coding) + " " + colour);
      const std::string file = (folder / (std::string("flat.") + k.ending)).string();
      inShell(fmt::format("ffmpeg -v error -y -f lavfi -i color={}:size=64x64:rate=25,format=rgb24 -frames:v 2 {} {}",
                          colour, k.coding, file));
      image::Movie movie(file);
      const auto pixels = movie.read(1);
      for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(pixels[4 * (32 * 64 + 32) + c], value, k.mostOff);
      EXPECT_EQ(pixels[4 * (32 * 64 + 32) + 3], 65535);
    }
  // Every code of an RGB movie, bit for bit.
  const std::string file = (folder / "ramp.mkv").string();
  inShell(
      "ffmpeg -v error -y -f lavfi -i nullsrc=size=256x8:rate=25,format=gbrp,geq=r=X:g=X:b=X -frames:v 1 -c:v ffv1 "
      "-pix_fmt gbrp " +
      file);
  image::Movie movie(file);
  const auto pixels = movie.read(0);
  for (size_t x = 0; x < 256; ++x) EXPECT_EQ(pixels[4 * x + 1], 257 * x);
}

TEST(Movies, InterlacedFramesAreSaidToBe) {
  const test::Folder folder;
  for (const bool interlaced : {true, false}) {
    const std::string file = (folder / (interlaced ? "fields.mpg" : "frames.mpg")).string();
    inShell("ffmpeg -v error -y -f lavfi -i testsrc2=size=192x108:rate=50 -frames:v 20 -vf " +
            std::string(interlaced ? "interlace,setfield=tff -flags +ilme+ildct" : "null") +
            " -c:v mpeg2video -q:v 2 " + file);
    EXPECT_EQ(image::movieFacts(file).fields, interlaced ? image::Fields::UpperFirst : image::Fields::Whole);
    auto s = edit::newShot({file, {}, {}, {}, 0});
    const auto problems = shot::problemsOf(s, false);
    EXPECT_EQ(std::any_of(problems.begin(), problems.end(),
                          [](const auto& p) { return p.text.find("interlaced") != std::string::npos && !p.grave; }),
              interlaced);
  }
}

TEST(Movies, AnUnsteadyRateIsTold) {
  const test::Folder folder;
  const std::string file = (folder / "unsteady.mkv").string();
  inShell(
      "ffmpeg -v error -y -f lavfi -i testsrc2=size=64x64:rate=24 -frames:v 24 -vf "
      "\"setpts='if(gt(N,10),PTS*1.7,PTS)'\" "
      "-vsync vfr -c:v libx264 " +
      file);
  shot::Shot s = edit::newShot({file, {}, {}, {}, 0});
  bool told = false;
  for (const auto& p : shot::problemsOf(s, true)) told |= p.text.find("ms apart") != std::string::npos && !p.grave;
  EXPECT_TRUE(told);
}

TEST(Movies, WhatIsCutShortLosesItsEndAndNothingStandsInForIt) {
  const test::Folder folder;
  const std::string file = make(folder, kKinds[4]);
  const std::string whole = readText(file);
  // Frames of ProRes are independent: damage one in the middle.
  std::string hurt = whole;
  for (size_t i = hurt.size() / 2; i < hurt.size() / 2 + 3000; ++i) hurt[i] = static_cast<char>(i * 7);
  std::ofstream(file, std::ios::binary) << hurt;
  const auto truth = byFfmpeg(folder, make(folder, kKinds[4]));
  std::ofstream(file, std::ios::binary) << hurt;
  image::Movie movie(file);
  int right = 0, refused = 0, wrong = 0;
  for (int f = 0; f < kFrames; ++f) try {
      (worst(movie.read(f), truth[static_cast<size_t>(f)]) <= 1 ? right : wrong)++;
    } catch (const std::exception&) {
      ++refused;
    }
  std::printf("damaged: %d right, %d refused, %d damaged unseen\n", right, refused, wrong);
  EXPECT_GE(right, kFrames - 3);
  // A file that is cut has no index any more.
  std::ofstream(file, std::ios::binary) << whole.substr(0, whole.size() / 2);
  EXPECT_NE(test::errorOf([&] { image::Movie(file).read(0); }).find("movie"), std::string::npos);
  EXPECT_NE(test::errorOf([&] { image::Movie("/nowhere.mov").read(0); }).find("no such file"), std::string::npos);
}

TEST(Movies, SeveralAtOnceAreIndependent) {
  const test::Folder folder;
  const std::string file = make(folder, kKinds[0]);
  const auto truth = byFfmpeg(folder, file);
  const auto plate = image::openPlate(file);
  EXPECT_EQ(plate.range, (FrameRange{1, kFrames}));
  EXPECT_NEAR(plate.fps, 24, 1e-9);
  std::vector<std::thread> threads;
  std::atomic<int> wrong = 0;
  for (unsigned t = 0; t < 4; ++t)
    threads.emplace_back([&, t] {
      std::mt19937 random(t);
      for (int i = 0; i < 25; ++i) {
        const int f = static_cast<int>(random() % kFrames);
        wrong += worst(image::readMovie(file, f).rgba, truth[static_cast<size_t>(f)]) > 1;
      }
    });
  for (auto& t : threads) t.join();
  EXPECT_EQ(wrong, 0);
}
