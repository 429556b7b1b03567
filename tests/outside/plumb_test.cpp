// Distortion from lines: on OpenCV's published chessboard pictures (Debian's opencv-doc), and on the demo's set.
#include <gtest/gtest.h>

#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/lens/plumb.h"
#include "core/lens/snap.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {
const std::string kBoards = "/usr/share/doc/opencv-doc/examples/data/";
}  // namespace

TEST(PlumbOutside, RowsOfABoardAreStraightAfterwards) {
  const std::string file = kBoards + "left01.jpg";
  if (!std::filesystem::exists(file)) FAIL() << file << " is not there (package opencv-doc)";
  const image::Picture picture = image::readPicture(file, "raw").picture;
  cv::Mat grey(picture.data.height(), picture.data.width(), CV_8U);
  for (int y = 0; y < grey.rows; ++y)
    for (int x = 0; x < grey.cols; ++x)
      grey.at<uchar>(y, x) = static_cast<uchar>(std::lround(std::clamp(picture.pixel(x, y)[1], 0.0f, 1.0f) * 255));
  std::vector<cv::Point2f> corners;
  ASSERT_TRUE(cv::findChessboardCorners(grey, {9, 6}, corners));
  cv::cornerSubPix(grey, corners, {11, 11}, {-1, -1}, {cv::TermCriteria::EPS + cv::TermCriteria::COUNT, 40, 0.001});
  std::vector<lens::PlumbLine> rows;
  for (size_t j = 0; j < 6; ++j) {
    lens::PlumbLine line;
    line.id = "row " + std::to_string(j);
    // OpenCV counts from the centre of the first pixel.
    for (size_t i = 0; i < 9; ++i) line.points.emplace_back(corners[j * 9 + i].x + 0.5, corners[j * 9 + i].y + 0.5);
    rows.push_back(line);
  }
  // Any focal length will do, for k1 is measured against it; this is about the pictures' own (left_intrinsics.yml, from
  // memory: 536).
  const lens::LensOnPixels start(lens::Lens(), 536, 536, grey.cols / 2.0, grey.rows / 2.0);
  double before = 0;
  for (const auto& r : rows) before = std::max(before, lens::bowOf(r, start).rms);
  const auto answer = lens::solvePlumb(rows, start, grey.cols, grey.rows, {true, false, false});
  double worst = 0;
  for (const auto& b : answer.after) worst = std::max(worst, b.rms);
  std::printf("board rows: bow %.3f px RMS at the worst before, %.3f after; k1 %.4f give or take %.4f\n", before, worst,
              answer.lens.lens.k1, answer.k1Sigma);
  EXPECT_GT(before, 1);
  EXPECT_LE(worst, 0.3);
}

TEST(PlumbOutside, LinesOnTheDemosSetGiveItsLens) {
  const auto shot = shot::load(test::kDemo + "/boathouse.zentil");
  // Edges of planks, door, window, eaves and the slip's joints, as they stand in the scene (demo/scene/boathouse.pov).
  std::vector<std::pair<Vec3, Vec3>> edges;
  for (const double y : {0.3, 0.75, 1.2, 1.8, 2.4, 2.95}) edges.push_back({{-3.2, y, 0}, {3.3, y, 0}});
  edges.push_back({{-3.9, 3.2, 0.6}, {3.9, 3.2, 0.6}});
  for (const double x : {-3.25, -2.5, -1.0, 1.3, 2.3, 3.3}) edges.push_back({{x, 0.05, 0}, {x, 3.1, 0}});
  for (const double z : {1.15, 3.45, 4.6}) edges.push_back({{-3.5, 0, z}, {3.5, 0, z}});
  for (const double x : {-2.4, -0.5, 1.4, 2.9}) edges.push_back({{x, 0, 0.2}, {x, 0, 5}});
  std::mt19937 random(7);
  std::normal_distribution<double> noise(0, 0.3);
  std::vector<lens::PlumbLine> lines;
  for (const int frame : {1001, 1019, 1036, 1054, 1072}) {
    const auto camera = shot.cameraAt(frame);
    const auto truth = shot.lensAt(frame);
    for (const auto& [a, b] : edges) {
      lens::PlumbLine line;
      line.id = std::to_string(lines.size());
      line.frame = frame;
      for (int k = 0; k <= 40; ++k) {
        Vec2 s, p;
        if (!camera.project(a + (b - a) * (k / 40.0), s) || !truth.plateFromStraight(s, p)) continue;
        if (p.x() < 4 || p.y() < 4 || p.x() > 1276 || p.y() > 716) continue;
        line.points.emplace_back(p.x() + noise(random), p.y() + noise(random));
      }
      if (line.points.size() >= 5 && (line.points.back() - line.points.front()).norm() > 120) lines.push_back(line);
    }
  }
  const auto truth = shot.lensAt(1001);
  const lens::LensOnPixels start(lens::Lens(), truth.fx, truth.fy, truth.cx, truth.cy);
  const auto answer = lens::solvePlumb(lines, start, 1280, 720, {true, true, false});
  double worst = 0;
  for (int y = 0; y <= 720; y += 20)
    for (int x = 0; x <= 1280; x += 20) {
      Vec2 s, p;
      ASSERT_TRUE(answer.lens.straightFromPlate(Vec2(x, y), s));
      ASSERT_TRUE(truth.plateFromStraight(s, p));
      worst = std::max(worst, (p - Vec2(x, y)).norm());
    }
  std::printf("%zu lines, 0.3 px of noise: k1 %.4f, k2 %.4f (true -0.1, 0.015), off by %.3f px at the most\n",
              lines.size(), answer.lens.lens.k1, answer.lens.lens.k2, worst);
  EXPECT_LE(worst, 0.5);
  EXPECT_TRUE(answer.disagreeing.empty());
}

TEST(PlumbOutside, PointsSnapToAnEdgeToATwentiethOfAPixel) {
  // A slanted step, antialiased by area: where it runs is known exactly.
  image::Picture p(200, 200, 4, 1.0f);
  for (int y = 0; y < 200; ++y)
    for (int x = 0; x < 200; ++x) {
      double sum = 0;
      for (int v = 0; v < 8; ++v)
        for (int u = 0; u < 8; ++u) sum += (y + (v + 0.5) / 8) > 90.3 + 0.12 * (x + (u + 0.5) / 8) ? 0.6 : 0.1;
      for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = static_cast<float>(sum / 64);
    }
  std::vector<Vec2> drawn;
  for (int x = 20; x <= 180; x += 20) drawn.emplace_back(x, 90.3 + 0.12 * x + (x % 40 ? 1.7 : -1.4));
  const auto snapped = lens::snapToEdges(p, drawn, 4);
  for (size_t i = 1; i + 1 < snapped.size(); ++i) EXPECT_NEAR(snapped[i].y(), 90.3 + 0.12 * snapped[i].x(), 0.05) << i;
}
