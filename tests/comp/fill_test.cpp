// Several frames as one fill: what no single frame shows, other light, grain averaged away, holes left open.
#include "core/comp/averaged.h"

#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>
#include <random>

#include "core/base/files.h"
#include "core/comp/sight.h"
#include "core/edit/edits.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/measure/best_frame.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using element::Fill;
using element::FillMethod;
using test::Folder;

/// A wall with a band before it, as wide as `width` px of the screen, that no single frame shows all of; and the wall
/// without it.
struct Band {
  Folder folder;
  shot::Shot s;
  std::map<int, image::Picture> clean;
  Box place;
  comp::RenderCache cache{test::kBudget};

  explicit Band(int width, int frames = 9) : s(test::walkAlongWall(folder, frames)) {
    place = {160 - width / 2, 40, 160 + width / 2, 140};
    for (int f = s.range.first; f <= s.range.last; ++f) clean[f] = image::readFrame(s.plate(), f).picture;
    test::addPatch(s, 1005, 1005, place.x0 - 2, place.y0 - 2, place.x1 + 2, place.y1 + 2);
    s.mattes[0].parts[0].follows = matte::Follows::Screen;
    s.mattes[0].removal = true;
  }
  /// Writes the plate: the clean frame changed, and the band on it.
  void write(const std::function<void(int, cv::Mat&)>& change = {}) {
    test::repaint(s, [&](int f, image::Picture& p) {
      p = clean.at(f);
      cv::Mat m(180, 320, CV_32FC4, p.values.data());
      if (change) change(f, m);
      m(cv::Rect(place.x0, place.y0, place.width(), place.height())).setTo(cv::Scalar(0.9, 0.1, 0.1, 1));
    });
  }
  void fill(FillMethod how, const std::vector<int>& frames) { s.elements[0].source = Fill{frames, {}, how, true}; }
  cv::Mat over(const image::Picture& p) const {
    return cv::Mat(180, 320, CV_32FC4,
                   const_cast<float*>(p.values.data()))(cv::Rect(place.x0, place.y0, place.width(), place.height()))
        .clone();
  }
  double psnr(const image::Picture& built, int f) const {
    const cv::Mat d = over(built) - over(clean.at(f));
    const cv::Scalar m = cv::mean(d.mul(d));
    return -10 * std::log10((m[0] + m[1] + m[2]) / 3);
  }
  /// The steepest row-wise step over the place, of what is built to what is true.
  double steepness(const image::Picture& built, int f) const {
    const auto step = [&](const image::Picture& p) {
      cv::Mat grey, dx;
      cv::transform(over(p), grey, cv::Matx14f(1 / 3.0f, 1 / 3.0f, 1 / 3.0f, 0));
      cv::Sobel(grey, dx, CV_32F, 1, 0);
      cv::Mat column;
      cv::reduce(cv::abs(dx), column, 0, cv::REDUCE_AVG);
      return column;
    };
    double worst = 0;
    const cv::Mat ours = step(built), theirs = step(clean.at(f));
    const double usual = cv::mean(theirs)[0];
    for (int x = 2; x + 2 < ours.cols; ++x)
      worst = std::max(worst, ours.at<float>(x) / std::max<double>(theirs.at<float>(x), usual / 2));
    return worst;
  }
};

TEST(Fill, FewFramesShowBetweenThemWhatNoneShows) {
  Band b(40);
  b.write();
  b.fill(FillMethod::Averaged, {1005});
  const auto found = measure::framesFor(*evaluate::ShotEvaluator::of(b.s), "e1", 1005, false, b.cache);
  EXPECT_LT(found.at(found.best)->seen, 0.98);
  EXPECT_EQ(found.neverSeenPx, 0);
  const auto answer = edit::apply(b.s, nlohmann::json::parse(R"([{"fillFromFewest": "e1"}])"), {b.cache, {}})[0];
  const auto frames = answer.at("frames").get<std::vector<int>>();
  EXPECT_GE(frames.size(), 2U);
  EXPECT_LE(frames.size(), 5U);
  EXPECT_EQ(answer.at("neverSeenPx"), 0);
  const auto built = test::buildFrame(b.s, 1005, b.cache);
  std::printf("%zu frames, %.1f dB, steepest column %.2f of the truth's\n", frames.size(), b.psnr(built, 1005),
              b.steepness(built, 1005));
  EXPECT_GE(b.psnr(built, 1005), 40);
  EXPECT_LE(b.steepness(built, 1005), 1.2);
}

TEST(Fill, FramesInOtherLightAreEvenedOut) {
  Band b(40);
  // 15% darker at one end of the shot than at the other, 10% across the frame.
  b.write([](int f, cv::Mat& m) {
    for (int x = 0; x < m.cols; ++x) {
      const double gain = 1 + 0.15 * (f - 1005) / 8.0 + (f == 1005 ? 0 : 0.1 * (x / 320.0 - 0.5));
      m.col(x) = m.col(x).mul(cv::Scalar(gain, gain, gain, 1));
    }
  });
  const auto at = [&](bool equalise) {
    b.fill(FillMethod::PartByPart, {1005, 1001, 1009, 1002, 1008});
    b.s.elements[0].from<Fill>()->equalise = equalise;
    return test::buildFrame(b.s, 1005, b.cache);
  };
  const auto apart = at(false), equalise = at(true);
  std::printf("in one light %.1f dB (each in its own %.1f), steepest column %.2f of the truth's (%.2f)\n",
              b.psnr(equalise, 1005), b.psnr(apart, 1005), b.steepness(equalise, 1005), b.steepness(apart, 1005));
  EXPECT_LT(b.psnr(apart, 1005), 36);
  EXPECT_GE(b.psnr(equalise, 1005), 38);
  EXPECT_LE(b.steepness(equalise, 1005), 1.2);
}

TEST(Fill, AveragedFramesHoldLittleGrainAndNothingThatPasses) {
  Band b(20, 13);
  std::mt19937 random(5);
  std::normal_distribution<float> grain(0, 0.02f);
  b.write([&](int f, cv::Mat& m) {
    for (int y = 0; y < m.rows; ++y)
      for (int x = 0; x < m.cols; ++x)
        for (int c = 0; c < 3; ++c) m.at<cv::Vec4f>(y, x)[c] += grain(random);
    // Something passes over the place on a third of the frames; no matte tells of it.
    const int at = 120 + 9 * (f - 1001);
    m(cv::Rect(at, 70, 8, 40)).setTo(cv::Scalar(0.05, 0.05, 0.4, 1));
  });
  std::vector<int> all;
  for (int f = 1001; f <= 1013; ++f) all.push_back(f);
  b.fill(FillMethod::Averaged, all);
  const auto averaged = test::buildFrame(b.s, 1005, b.cache);
  b.fill(FillMethod::PartByPart, {1001, 1013, 1002, 1012});
  const auto one = test::buildFrame(b.s, 1005, b.cache);
  std::printf("averaged %.1f dB, one each %.1f dB\n", b.psnr(averaged, 1005), b.psnr(one, 1005));
  EXPECT_GT(b.psnr(averaged, 1005), b.psnr(one, 1005) + 4);
  // Grain of 0.02 over the frames that see the place (five to ten): below half.
  EXPECT_GT(b.psnr(averaged, 1005), -20 * std::log10(0.02 / 2));
  // The count of frames is told.
  const auto t = evaluate::ShotEvaluator::of(b.s);
  b.fill(FillMethod::Averaged, all);
  const auto m = evaluate::ShotEvaluator::of(b.s)->only("e1", 1005);
  const auto g = comp::gatheringOf(m.layers[0], b.cache);
  const auto tiles = comp::averagedOver(m.layers[0], *g, {{256, 128, 300, 200}}, false, b.cache);
  const float frames = *tiles.frames.pixel(280, 160);
  EXPECT_GT(frames, 3);
  EXPECT_LE(frames, 13.01f);
}

/// What has to go on the wall itself, so that no frame shows what is under it.
void coverOnWall(Band& b, double x0, double y0, double x1, double y1) {
  auto m = b.s.mattes[0];
  m.id = "m2";
  m.parts[0].follows = matte::Follows::Surface, m.parts[0].surface = "s1";
  m.parts[0].content = matte::RotoShapes{{test::rectangle(x0, y0, x1, y1)}, 1005};
  b.s.mattes.push_back(m);
}

const std::vector<int> kSeven = {1005, 1001, 1009, 1003, 1007, 1002, 1008};

// Its matte is two pixels tight all around, and most frames show its edge where few show the wall.
TEST(Fill, TheEdgeOfWhatHasToGoDoesNotOutvoteFramesThatAreClearOfIt) {
  Band b(40);
  b.s.mattes[0].removal = false;
  coverOnWall(b, 150, 80, 170, 100);
  auto& removal = b.s.mattes[1];
  removal.removal = true;
  // It stands elsewhere on the last three frames.
  auto& points = std::get<matte::RotoShapes>(removal.parts[0].content).shapes[0].points;
  const auto here = points.constant(), there = test::rectangle(210, 80, 230, 100).points.constant();
  points.key(1001, here, value::Between::Hold), points.key(1007, there, value::Between::Hold);
  const auto onWall = [&](int f, const std::function<void(int, int, const Vec2&)>& each) {
    const auto t = evaluate::ShotEvaluator::of(b.s);
    const auto map = comp::carrying(*t->stage(f), "s1", *t->stage(1005), b.cache);
    for (int y = 0; y < 180; ++y)
      for (int x = 0; x < 320; ++x) {
        map::MapSample s{Vec2(x + 0.5, y + 0.5), 0};
        map->apply(&s, 1);
        each(x, y, s.at);
      }
  };
  test::repaint(b.s, [&](int f, image::Picture& p) {
    onWall(f, [&](int x, int y, const Vec2& at) {
      const double left = f < 1007 ? 148 : 208;
      if (at.x() > left && at.x() < left + 24 && at.y() > 78 && at.y() < 102) {
        const float red[] = {0.9f, 0.1f, 0.1f};
        std::copy_n(red, 3, p.pixel(x, y));
      }
    });
  });
  b.fill(FillMethod::Averaged, {1001, 1002, 1003, 1004, 1005, 1006, 1007, 1008, 1009});
  const auto built = test::buildFrame(b.s, 1005, b.cache);
  double most = 0;
  for (int y = 76; y < 104; ++y)
    for (int x = 146; x < 174; ++x)
      most = std::max<double>(most, std::abs(built.pixel(x, y)[0] - b.clean.at(1005).pixel(x, y)[0]));
  std::printf("off by %.3f at the most, of 0.9\n", most);
  EXPECT_LT(most, 0.1);
}

TEST(Fill, WhatNoFrameShowsStaysOpenAndIsCounted) {
  Band b(40);
  coverOnWall(b, 150, 80, 170, 100);
  b.write();
  for (const auto how : {FillMethod::PartByPart, FillMethod::Averaged}) {
    b.fill(how, kSeven);
    const auto built = test::buildFrame(b.s, 1005, b.cache);
    EXPECT_NEAR(built.pixel(160, 90)[0], 0.9, 1e-3) << "the band shows through";
    EXPECT_NEAR(built.pixel(160, 60)[0], b.clean.at(1005).pixel(160, 60)[0], 0.02);
  }
}

TEST(Fill, WhatNoFrameShowsIsClosedFromAroundWhereThatIsAsked) {
  Band b(40);
  coverOnWall(b, 150, 80, 170, 100);
  b.write();
  b.fill(FillMethod::Averaged, kSeven);
  const auto open = test::buildFrame(b.s, 1005, b.cache);
  b.fill(FillMethod::Closed, kSeven);
  const auto closed = test::buildFrame(b.s, 1005, b.cache);
  // Nothing else changes; and what is closed lies between what is around it.
  int changed = 0;
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      const bool same = std::equal(closed.pixel(x, y), closed.pixel(x, y) + 3, open.pixel(x, y));
      if (same) continue;
      ++changed;
      EXPECT_TRUE(x >= 144 && x <= 176 && y >= 74 && y <= 106) << x << ", " << y;
    }
  EXPECT_GT(changed, 300);
  std::printf("%d px closed: %.1f dB over the band, open %.1f\n", changed, b.psnr(closed, 1005), b.psnr(open, 1005));
  EXPECT_GT(b.psnr(closed, 1005), b.psnr(open, 1005) + 6);
  EXPECT_LT(closed.pixel(160, 90)[0], 0.8) << "nothing of the band";
  // However little of it is asked for.
  const auto m = evaluate::ShotEvaluator::of(b.s)->only("e1", 1005);
  const auto g = comp::gatheringOf(m.layers[0], b.cache);
  const auto whole = comp::averagedOver(m.layers[0], *g, {{0, 0, 512, 384}}, true, b.cache);
  comp::RenderCache other(test::kBudget);
  const auto at = [&](double v) { return static_cast<int>(v * g->fine); };
  const auto part = comp::averagedOver(m.layers[0], *g, {{at(160), at(90), at(160) + 1, at(90) + 1}}, true, other);
  for (int y = part.colour.data.y0; y < part.colour.data.y1; ++y)
    for (int x = part.colour.data.x0; x < part.colour.data.x1; ++x)
      ASSERT_TRUE(std::equal(part.colour.pixel(x, y), part.colour.pixel(x, y) + 4, whole.colour.pixel(x, y)));
  EXPECT_GT(part.colour.pixel(at(160), at(90))[3], 0);
  EXPECT_EQ(*part.frames.pixel(at(160), at(90)), 0) << "that no frame shows it is still told";
}

TEST(Fill, AGapTooWideToBeClosedStaysOpen) {
  Band b(40);
  coverOnWall(b, 80, 20, 240, 160);
  b.write();
  b.fill(FillMethod::Closed, kSeven);
  EXPECT_NEAR(test::buildFrame(b.s, 1005, b.cache).pixel(160, 90)[0], 0.9, 1e-3) << "the band shows through";
}

TEST(Fill, WhatCannotBeIsRefusedInWords) {
  Band b(40);
  b.write();
  b.fill(FillMethod::Averaged, {});
  EXPECT_NE(test::errorOf([&] { test::buildFrame(b.s, 1005, b.cache); }).find("no frames"), std::string::npos);
  b.fill(FillMethod::Averaged, {1001, 4000});
  bool named = false;
  for (const auto& p : shot::problemsOf(b.s, false)) named = named || p.text.find("4000") != std::string::npos;
  EXPECT_TRUE(named);
  // Without a matte of what has to go it is remarked upon, and delivered all the same.
  b.fill(FillMethod::Averaged, {1001, 1002});
  b.s.mattes[0].removal = false;
  bool remarked = false, grave = false;
  for (const auto& p : shot::problemsOf(b.s, false))
    if (p.text.find("removal matte") != std::string::npos) remarked = true, grave = p.grave;
  EXPECT_FALSE(grave);
  EXPECT_TRUE(remarked);
  b.s.mattes[0].removal = true;
  std::filesystem::remove(b.s.plate().fileOf(1009));
  b.fill(FillMethod::Averaged, {1001, 1009});
  EXPECT_NE(test::errorOf([&] { test::buildFrame(b.s, 1005, b.cache); }).find("1009"), std::string::npos);
}

// All of it is values: a shot with a fill is the same after it was written and read, bit for bit in its pixels.
TEST(Fill, IsTheSameAfterSavingAndReading) {
  Band b(40);
  b.write();
  b.fill(FillMethod::Averaged, {1005, 1001, 1009});
  const auto file = b.folder / "fill.zentil";
  shot::save(b.s, file);
  const auto read = shot::load(file);
  EXPECT_EQ(read.elements, b.s.elements);
  comp::RenderCache other(test::kBudget);
  EXPECT_EQ(test::buildFrame(read, 1004, other).values, test::buildFrame(b.s, 1004, b.cache).values);
}

// What was averaged once is not made again by the next program, and is the same to the bit; damaged, it is made again.
TEST(Fill, WhatWasAveragedIsKeptForTheNextProgram) {
  for (const FillMethod how : {FillMethod::Averaged, FillMethod::PartByPart}) {
    Band b(40);
    b.write();
    b.fill(how, {1001, 1003, 1005, 1007, 1009});
    const auto built = [&](const std::filesystem::path& folder) {
      comp::RenderCache w(test::kBudget);
      w.setKeptFolder(folder);
      return test::buildFrame(b.s, 1004, w);
    };
    const auto kept = b.folder / "s.cache";
    const auto plain = built({}), first = built(kept);
    ASSERT_FALSE(std::filesystem::is_empty(kept));
    std::map<std::filesystem::path, uint64_t> stamps;
    for (const auto& f : std::filesystem::directory_iterator(kept)) stamps[f.path()] = stampOf(f.path()).inode;
    const auto second = built(kept);
    EXPECT_EQ(plain.values, first.values);
    EXPECT_EQ(first.values, second.values);
    for (const auto& [file, inode] : stamps) EXPECT_EQ(stampOf(file).inode, inode) << "it was written again";
    for (const auto& [file, inode] : stamps) std::filesystem::resize_file(file, 100);
    EXPECT_EQ(first.values, built(kept).values);
    // Another plate: nothing of it is used.
    b.write([](int, cv::Mat& m) { m *= 0.5; });
    EXPECT_NE(first.values, built(kept).values);
  }
}

}  // namespace
}  // namespace zentil
