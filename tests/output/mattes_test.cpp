// Mattes as pictures: carried as the surface goes, what they cut out is the plate's own, nothing of others is replaced.
#include "core/output/mattes.h"
#include "core/evaluate/shot_evaluator.h"

#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "core/base/files.h"
#include "core/image/write.h"
#include "core/output/deliver.h"
#include "core/output/shapes.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

namespace {

/// A four-sided face on the wall, drawn once on frame 1003.
const std::vector<Vec2> kFace = {{110, 50}, {215, 58}, {205, 130}, {118, 122}};

shot::Shot withFace(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 5);
  matte::Matte m;
  m.id = "m1", m.name = "face of the wall";
  matte::RotoShapes drawn;
  drawn.frame = 1003;
  matte::ShapePoints points;
  for (const auto& at : kFace) points.push_back({at});
  drawn.shapes.emplace_back();
  drawn.shapes[0].points = points;
  matte::Part part;
  part.id = "p1", part.follows = matte::Follows::Surface, part.surface = "s1", part.content = drawn;
  m.parts = {part};
  s.mattes = {m};
  return s;
}

/// The face on a frame by camera and lens alone, by OpenCV: its sides in small pieces, on eight pixels for one.
cv::Mat truthOf(const shot::Shot& s, int frame) {
  constexpr int kFine = 8;
  std::vector<cv::Point> outline;
  const auto held = s.cameraAt(1003), here = s.cameraAt(frame);
  for (size_t i = 0; i < kFace.size(); ++i)
    for (int k = 0; k < 64; ++k) {
      const Vec2 at = kFace[i] + (kFace[(i + 1) % kFace.size()] - kFace[i]) * (k / 64.0);
      Vec2 straight, plate;
      EXPECT_TRUE(s.lensAt(1003).straightFromPlate(at, straight));
      const Vec3 d = held.unproject(straight);
      EXPECT_TRUE(here.project(held.position - d * (held.position.z() / d.z()), straight));
      EXPECT_TRUE(s.lensAt(frame).plateFromStraight(straight, plate));
      outline.emplace_back(cvRound(plate.x() * kFine - 0.5), cvRound(plate.y() * kFine - 0.5));
    }
  cv::Mat fine = cv::Mat::zeros(s.height * kFine, s.width * kFine, CV_8U), out;
  cv::fillPoly(fine, std::vector<std::vector<cv::Point>>{outline}, 255);
  cv::resize(fine, out, {s.width, s.height}, 0, 0, cv::INTER_AREA);
  out.convertTo(out, CV_32F, 1 / 255.0);
  return out;
}

image::Picture read(const fs::path& file) { return image::readFrame(image::stillOf(file.string()), 0).picture; }

}  // namespace

TEST(Mattes, AFaceDrawnOnceIsCarriedToEveryFrame) {
  const test::Folder folder;
  const auto s = withFace(folder);
  comp::RenderCache w(test::kBudget);
  const std::vector<int> frames = {1001, 1002, 1003, 1004, 1005};
  const auto files = output::writeMattes(*evaluate::ShotEvaluator::of(s), {{"m1", "face of the wall"}}, true, 0, frames,
                                         folder / "mattes", w);
  ASSERT_EQ(files.size(), 10U);
  double worst = 1;
  for (size_t i = 0; i < frames.size(); ++i) {
    EXPECT_EQ(files[2 * i].filename().string(), fmt::format("walk_face of the wall.{}.exr", frames[i]));
    const auto cover = read(files[2 * i]), cut = read(files[2 * i + 1]);
    const auto plate = image::readFrame(s.plate(), frames[i]).picture;
    const cv::Mat truth = truthOf(s, frames[i]);
    double both = 0, either = 0;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        const float a = *cover.pixel(x, y), b = truth.at<float>(y, x);
        both += std::min(a, b), either += std::max(a, b);
        for (int c = 0; c < 3; ++c)
          ASSERT_NEAR(cut.pixel(x, y)[c], a * plate.pixel(x, y)[c], 1e-3 * std::abs(plate.pixel(x, y)[c]) + 1e-6);
        ASSERT_NEAR(cut.pixel(x, y)[3], a, 1e-3);
      }
    worst = std::min(worst, both / either);
  }
  std::printf("intersection over union: %.4f or more\n", worst);
  EXPECT_GT(worst, 0.99);
  // Again, over its own.
  EXPECT_NO_THROW(output::writeMattes(*evaluate::ShotEvaluator::of(s), {{"m1", "face of the wall"}}, true, 0, frames,
                                      folder / "mattes", w));
}

TEST(Mattes, AreBlurredAlongTheirMotionOverTheShutter) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  // A square on the screen whose keys carry it by 12 px a frame, and back by less: a parabola in time.
  matte::Matte m;
  m.id = "m1", m.name = "goes by";
  matte::RotoShapes drawn;
  drawn.frame = 1001;
  drawn.shapes.emplace_back();
  const auto edgeAt = [](double t) { return 60 + 12 * (t - 1003) + 2 * (t - 1003) * (t - 1003); };
  for (int f = 1001; f <= 1005; ++f) {
    matte::ShapePoints points;
    const double x = edgeAt(f);
    for (const Vec2& at : {Vec2(x, 40), Vec2(x + 50, 40), Vec2(x + 50, 90), Vec2(x, 90)}) points.push_back({at});
    drawn.shapes[0].points.key(f, points);
  }
  matte::Part part;
  part.id = "p1", part.follows = matte::Follows::Screen, part.content = drawn;
  m.parts = {part};
  s.mattes = {m};
  comp::RenderCache w(test::kBudget);
  const auto files = output::writeMattes(*evaluate::ShotEvaluator::of(s), {{"m1", "goes by"}}, false, 180, {1003, 1005},
                                         folder / "m", w);
  const auto inside = read(files[0]), last = read(files[1]);
  // What share of the open time a pixel's own square is covered, by its left edge.
  const auto expected = [&](double middle, int x, const auto& at) {
    constexpr int kFine = 4000;
    double sum = 0;
    for (int k = 0; k < kFine; ++k) {
      const double left = at(middle + ((k + 0.5) / kFine - 0.5) * 0.5);
      sum += std::clamp(std::min(x + 1.0, left + 50) - std::max<double>(x, left), 0.0, 1.0);
    }
    return static_cast<float>(sum / kFine);
  };
  float worst = 0;
  for (int x = 40; x < 140; ++x) {
    worst = std::max(worst, std::abs(*inside.pixel(x, 65) - expected(1003, x, edgeAt)));
    // On the last frame there is no frame after it: it goes on as it came.
    const auto on = [&](double t) { return edgeAt(1005) + (t - 1005) * (edgeAt(1005) - edgeAt(1004)); };
    worst = std::max(worst, std::abs(*last.pixel(x, 65) - expected(1005, x, on)));
  }
  std::printf("blurred coverage within %.3f of what the open time says\n", worst);
  EXPECT_LT(worst, 0.05);
  EXPECT_EQ(*inside.pixel(85, 65), 1);
}

TEST(Mattes, NothingOfOthersIsReplacedAndWhatCannotBeIsSaid) {
  const test::Folder folder;
  auto s = withFace(folder);
  comp::RenderCache w(test::kBudget);
  fs::create_directories(folder / "mattes");
  const auto theirs = folder / "mattes/walk_face of the wall.1002.exr";
  image::writePicture(theirs, image::Picture(320, 180, 4), {});
  const auto before = readText(theirs);
  const auto write = [&](const std::vector<output::MatteWish>& wish, const std::string& to) {
    return test::errorOf([&] {
      output::writeMattes(*evaluate::ShotEvaluator::of(s), wish, false, 0, {1001, 1002}, folder / to, w);
    });
  };
  EXPECT_NE(write({{"m1", "face of the wall"}}, "mattes").find("did not write"), std::string::npos);
  EXPECT_EQ(readText(theirs), before);
  EXPECT_FALSE(fs::exists(folder / "mattes/walk_face of the wall.1001.exr")) << "before anything is written";
  EXPECT_NE(write({}, "a"), "");
  EXPECT_NE(write({{"m7", "gone"}}, "a"), "");
  EXPECT_NE(write({{"m1", "a"}, {"m1", "a"}}, "a").find("one name"), std::string::npos);
  // What the shot reads is never written over, also where it bears our mark.
  fs::remove(theirs);
  ASSERT_EQ(write({{"m1", "face"}}, "taken"), "");
  auto reads = s;
  matte::Part part;
  part.id = "p2", part.content = matte::ImageMatte{image::stillOf((folder / "taken/walk_face.1001.exr").string())};
  reads.mattes[0].parts.push_back(part);
  const auto taken = readText(folder / "taken/walk_face.1001.exr");
  EXPECT_NE(test::errorOf([&] {
              output::writeMattes(*evaluate::ShotEvaluator::of(reads), {{"m1", "face"}}, false, 0, {1001},
                                  folder / "taken", w);
            }).find("made from"),
            std::string::npos);
  EXPECT_EQ(readText(folder / "taken/walk_face.1001.exr"), taken);
  // A region that was not followed so far is said before anything is written.
  auto follows = s;
  track::Region r;
  r.id = 4, r.name = "lost", r.reference = 1003, r.outline = kFace, r.quad = track::quadAbout(r.outline);
  r.motion[1001] = r.motion[1003] = Mat3::Identity();
  follows.regions = {r};
  follows.mattes[0].parts[0].follows = matte::Follows::Region, follows.mattes[0].parts[0].region = 4;
  EXPECT_NE(test::errorOf([&] {
              output::writeMattes(*evaluate::ShotEvaluator::of(follows), {{"m1", "face"}}, false, 0, {1001, 1002},
                                  folder / "b", w);
            }),
            "");
  EXPECT_FALSE(fs::exists(folder / "b/walk_face.1001.exr"));
  std::ofstream(folder / "file") << "x";
  EXPECT_NE(write({{"m1", "face"}}, "file/below").find("cannot be made"), std::string::npos);
}

TEST(Mattes, ShapesAreCarriedToEveryFrame) {
  const test::Folder folder;
  auto s = withFace(folder);
  comp::RenderCache w(test::kBudget);
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto written =
      output::writeShapes(*evaluator, {{"m1", "face of the wall"}}, {1001, 1003, 1005}, folder / "out", w);
  ASSERT_EQ(written.files.size(), 4U);
  EXPECT_TRUE(written.notes.empty());
  std::ifstream in(written.files.back());
  const auto all = nlohmann::json::parse(in);
  ASSERT_EQ(all["frames"].size(), 3U);
  for (const auto& f : all["frames"]) {
    // Filled by OpenCV, against the truth by camera and lens alone.
    constexpr int kFine = 8;
    std::vector<cv::Point> outline;
    for (const auto& p : f["shapes"][0]["points"])
      outline.emplace_back(cvRound(p[0].get<double>() * kFine - 0.5), cvRound(p[1].get<double>() * kFine - 0.5));
    cv::Mat fine = cv::Mat::zeros(s.height * kFine, s.width * kFine, CV_8U), ours;
    cv::fillPoly(fine, std::vector<std::vector<cv::Point>>{outline}, 255);
    cv::resize(fine, ours, {s.width, s.height}, 0, 0, cv::INTER_AREA);
    ours.convertTo(ours, CV_32F, 1 / 255.0);
    const cv::Mat truth = truthOf(s, f["frame"]);
    const double iou = cv::sum(cv::min(ours, truth))[0] / cv::sum(cv::max(ours, truth))[0];
    EXPECT_GT(iou, 0.995) << f["frame"];
  }
  std::ifstream svg(written.files[2]);
  const std::string text{std::istreambuf_iterator<char>(svg), {}};
  EXPECT_NE(text.find("<path fill=\"#fff\" d=\"M"), std::string::npos);
  EXPECT_NE(text.find("viewBox=\"0 0 320 180\""), std::string::npos);
  // Written again over its own; never over somebody else's; what is no shape is said.
  EXPECT_EQ(output::writeShapes(*evaluator, {{"m1", "face of the wall"}}, {1001}, folder / "out", w).files.size(), 2U);
  std::ofstream(written.files[0]) << "<svg>another's</svg>";
  EXPECT_NE(test::errorOf([&] {
              output::writeShapes(*evaluator, {{"m1", "face of the wall"}}, {1001}, folder / "out", w);
            }).find("did not write"),
            std::string::npos);
  s.mattes[0].parts[0].inverted = true;
  EXPECT_EQ(
      output::writeShapes(*evaluate::ShotEvaluator::of(s), {{"m1", "face"}}, {1002}, folder / "other", w).notes.size(),
      1U);
}
