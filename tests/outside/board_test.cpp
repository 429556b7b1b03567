// A camera calibrated from OpenCV's published chessboard pictures (Debian's opencv-doc, left01 to left14), against the
// intrinsics published beside them and against OpenCV's own calibration of the same corners.
#include <gtest/gtest.h>

#include <numeric>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "core/image/plate.h"
#include "core/lens/board.h"
#include "core/lens/lens_file.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

std::vector<std::filesystem::path> leftPictures() {
  std::vector<std::filesystem::path> files;
  for (int i = 1; i <= 14; ++i)
    if (const std::string f = fmt::format("{}left{:02}.jpg", test::kOpenCvData, i); std::filesystem::exists(f))
      files.push_back(f);
  return files;
}

/// Root mean square distance of points from their best straight line, after the lens has straightened them.
double unevenness(const std::vector<Vec2>& points, const lens::LensOnPixels& lens) {
  Eigen::MatrixX2d m(static_cast<long>(points.size()), 2);
  for (size_t i = 0; i < points.size(); ++i) {
    Vec2 s;
    EXPECT_TRUE(lens.straightFromPlate(points[i], s));
    m.row(static_cast<long>(i)) = s;
  }
  const Eigen::RowVector2d mean = m.colwise().mean();
  const Mat2 spread = (m.rowwise() - mean).transpose() * (m.rowwise() - mean) / static_cast<double>(points.size());
  const double half = (spread(0, 0) + spread(1, 1)) / 2, d = (spread(0, 0) - spread(1, 1)) / 2;
  return std::sqrt(std::max(0.0, half - std::hypot(d, spread(0, 1))));
}

}  // namespace

TEST(BoardsOutside, ThePublishedCameraIsFound) {
  const auto files = leftPictures();
  if (files.empty()) FAIL() << test::kOpenCvData << " is not there (package opencv-doc)";
  ASSERT_EQ(files.size(), 13U);
  const auto published = lens::readLens(test::kOpenCvData + "left_intrinsics.yml");
  const auto a = lens::calibrate(files, {9, 6});
  std::printf("focal %.2f +- %.2f px (published %.2f), centre %.2f, %.2f (published %.2f, %.2f), RMS %.3f px\n",
              a.lens.fx, a.focalSigma, published.focalPx->x(), a.lens.cx, a.lens.cy, published.centrePx->x(),
              published.centrePx->y(), a.rmsPx);
  EXPECT_NEAR(a.lens.fx, published.focalPx->x(), 0.005 * published.focalPx->x());
  EXPECT_LE((Vec2(a.lens.cx, a.lens.cy) - *published.centrePx).norm(), 2);
  // The same corners through OpenCV, with the published flags (one focal length for both directions).
  std::vector<std::vector<cv::Point3f>> object;
  std::vector<std::vector<cv::Point2f>> seen;
  for (const auto& p : a.pictures) {
    if (!p.used) {
      std::printf("%s %s\n", p.board.file.c_str(), p.problem.c_str());
      continue;
    }
    object.emplace_back(), seen.emplace_back();
    for (int r = 0; r < p.board.rows; ++r)
      for (int c = 0; c < p.board.columns; ++c) {
        object.back().emplace_back(c, r, 0);
        seen.back().emplace_back(p.board.at(c, r).x() - 0.5, p.board.at(c, r).y() - 0.5);
      }
  }
  cv::Mat k = cv::Mat::eye(3, 3, CV_64F), d;
  std::vector<cv::Mat> turns, places;
  // Asked for what ours found worth asking for: k3 explains nothing in these corners.
  const int flags = cv::CALIB_FIX_ASPECT_RATIO | (a.lens.lens.k3 == 0 ? cv::CALIB_FIX_K3 : 0);
  const double theirs = cv::calibrateCamera(object, seen, {640, 480}, k, d, turns, places, flags);
  std::printf("cv::calibrateCamera on the same corners: RMS %.5f px, ours %.5f px\n", theirs, a.rmsPx);
  EXPECT_LE(a.rmsPx, theirs + 1e-6);
  EXPECT_GE(object.size(), 11U);
  // Straightened, rows and columns of corners are straight.
  double worst = 0;
  for (const auto& p : a.pictures) {
    for (int r = 0; r < p.board.rows; ++r) {
      std::vector<Vec2> line;
      for (int c = 0; c < p.board.columns; ++c) line.push_back(p.board.at(c, r));
      worst = std::max(worst, unevenness(line, a.lens));
    }
    for (int c = 0; c < p.board.columns; ++c) {
      std::vector<Vec2> line;
      for (int r = 0; r < p.board.rows; ++r) line.push_back(p.board.at(c, r));
      worst = std::max(worst, unevenness(line, a.lens));
    }
  }
  std::printf("rows and columns straight to %.3f px RMS at the worst\n", worst);
  EXPECT_LE(worst, 0.25);
}

// The right camera's pictures (opencv-doc, right*.jpg), with nothing said of the board: its size is found from them
// all.
TEST(BoardsOutside, ABoardOfUnknownSizeIsFoundInNearlyAllPictures) {
  std::vector<std::filesystem::path> files;
  for (int i = 1; i <= 14; ++i)
    if (const auto f = test::kOpenCvData + fmt::format("right{:02}.jpg", i); std::filesystem::exists(f))
      files.emplace_back(f);
  ASSERT_EQ(files.size(), 13U) << "package opencv-doc";
  const auto a = lens::calibrate(files, {});
  const auto used = std::count_if(a.pictures.begin(), a.pictures.end(), [](const auto& p) { return p.used; });
  const auto given = lens::calibrate(files, {9, 6});
  std::printf("%td of 13 used, focal %.2f +- %.2f px; with the board given %.2f\n", used, a.lens.fx, a.focalSigma,
              given.lens.fx);
  EXPECT_GE(used, 11);
  EXPECT_NEAR(a.lens.fx, given.lens.fx, 2 * given.focalSigma);
  for (const auto& p : a.pictures)
    if (p.used) {
      EXPECT_EQ(std::max(p.board.columns, p.board.rows), 9) << p.board.file;
    }
  // What is left out is followed by what would help.
  if (used < 13) {
    ASSERT_FALSE(a.remarks.empty());
    EXPECT_NE(a.remarks.front().find("inner corners"), std::string::npos) << a.remarks.front();
  }
}

TEST(BoardsOutside, AStrangePictureIsNamedAndLeftOut) {
  const auto files = leftPictures();
  if (files.empty()) FAIL() << test::kOpenCvData << " is not there (package opencv-doc)";
  std::vector<lens::BoardCorners> boards;
  for (const auto& f : files) {
    boards.push_back(lens::findBoard(image::readPicture(f, "raw").picture, 9, 6));
    boards.back().file = f.string();
    if (boards.size() == 7) break;
  }
  // One of them bumped: a column of corners read a few pixels off.
  for (int r = 0; r < boards[3].rows; ++r) boards[3].corners[static_cast<size_t>(r * boards[3].columns)].x() += 6;
  const auto a = lens::calibrate(boards, {9, 6});
  EXPECT_FALSE(a.pictures[3].used);
  EXPECT_NE(a.pictures[3].problem.find("left out"), std::string::npos);
  EXPECT_LT(a.rmsPx, 0.5);
}

TEST(BoardsOutside, APartlyHiddenBoardOfUnknownSizeStillSays) {
  const auto files = leftPictures();
  if (files.empty()) FAIL() << test::kOpenCvData << " is not there (package opencv-doc)";
  std::vector<lens::BoardCorners> boards;
  int partial = 0;
  for (const auto& f : files) {
    image::Picture p = image::readPicture(f, "raw").picture;
    const auto whole = lens::findBoard(p, 9, 6);
    ASSERT_FALSE(whole.corners.empty()) << f;
    // Something dark and plain lies over two columns of the board.
    if (boards.size() % 3 == 0)
      for (int r = 0; r < whole.rows; ++r)
        for (const int c : {0, 1}) {
          const Vec2 q = whole.at(c, r);
          const int reach = static_cast<int>((whole.at(1, r) - whole.at(0, r)).norm() * 0.7);
          for (int y = std::max(0, static_cast<int>(q.y()) - reach); y < std::min(480, static_cast<int>(q.y()) + reach);
               ++y)
            for (int x = std::max(0, static_cast<int>(q.x()) - reach);
                 x < std::min(640, static_cast<int>(q.x()) + reach); ++x)
              for (int k = 0; k < 3; ++k) p.pixel(x, y)[k] = 0.25f;
        }
    boards.push_back(lens::findBoard(p));
    boards.back().file = f.string();
    partial += !boards.back().corners.empty() && boards.back().corners.size() < 54;
  }
  const auto a = lens::calibrate(boards, {});
  std::printf("%d partly hidden boards among %zu: focal %.2f px, RMS %.3f px\n", partial, boards.size(), a.lens.fx,
              a.rmsPx);
  EXPECT_GE(partial, 3);
  EXPECT_NEAR(a.lens.fx, 535.9, 0.01 * 535.9);
}

TEST(BoardsOutside, WithoutABoardItSaysSo) {
  const std::string fruit = test::kOpenCvData + "fruits.jpg";
  if (!std::filesystem::exists(fruit)) FAIL() << fruit << " is not there (package opencv-doc)";
  try {
    lens::calibrate({fruit, fruit, fruit}, {9, 6});
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("found in 0 of 3 pictures"), std::string::npos) << e.what();
  }
}
