// Cameras before planes that others published: the chessboards of OpenCV (Debian's opencv-doc, left01 to left14), used
// as planes of which nothing is known but that they are flat, against the intrinsics published beside them; and the
// homography published with the graffiti wall (H1to3p; Mikolajczyk and Schmid 2005, A Performance Evaluation of Local
// Descriptors).
#include <gtest/gtest.h>

#include <filesystem>
#include <opencv2/core.hpp>

#include "core/image/plate.h"
#include "core/lens/board.h"
#include "core/lens/lens_file.h"
#include "core/solve/planes.h"
#include "core/solve/solve.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(BeforePlaneOutside, BoardsAsPlanesTellTheFocalLength) {
  track::Tracks corners(54);
  int frame = 0;
  for (int i = 1; i <= 14; ++i) {
    const std::string file = fmt::format("{}left{:02}.jpg", test::kOpenCvData, i);
    if (!std::filesystem::exists(file)) continue;
    ++frame;
    const auto board = lens::findBoard(image::readPicture(file, "raw").picture, 9, 6);
    for (size_t k = 0; k < corners.size(); ++k)
      corners[k].at.push_back(board.corners.size() == 54 ? board.corners[k] : Vec2::Constant(NAN));
  }
  ASSERT_EQ(frame, 13) << test::kOpenCvData << " is not there (package opencv-doc)";
  for (size_t k = 0; k < corners.size(); ++k) corners[k].id = static_cast<int>(k) + 1, corners[k].first = 1;
  const auto published = lens::readLens(test::kOpenCvData + "left_intrinsics.yml");
  camera::CameraPath body;
  body.backWidthMm = 36, body.backHeightMm = 27;
  solve::SolveSettings q;
  q.kind = solve::Kind::Plane;
  const auto a = solve::solve(corners, {1, frame}, 640, 480, body, {}, q);
  const double px = a.camera.focalMm / 36 * 640, truth = published.focalPx->x();
  std::printf("boards as planes: focal %.2f +- %.2f px (published %.2f), k1 %.4f, centre %+.1f, %+.1f, RMS %.3f px\n",
              px, a.errors.evidence.sigma.focal * 640, truth, a.lens.k1, a.camera.centreOffsetPx.x(),
              a.camera.centreOffsetPx.y(), a.errors.rmsPx);
  for (const auto& r : a.errors.remarks) std::printf("note: %s\n", r.c_str());
  EXPECT_EQ(a.camera.poses.size(), 13U);
  EXPECT_NEAR(px, truth, 0.02 * truth);
  EXPECT_LT(a.errors.rmsPx, 0.5);
  // What came out is the board, in its true proportions: 8 by 5 squares.
  std::map<int, Vec3> at;
  for (const auto& p : a.points) at[p.track] = p.at;
  ASSERT_TRUE(at.count(1) && at.count(9) && at.count(46) && at.count(54));
  const double along = (at[9] - at[1]).norm(), across = (at[46] - at[1]).norm();
  EXPECT_NEAR(along / across, 8.0 / 5, 0.01 * 8 / 5);
  EXPECT_NEAR((at[9] - at[1]).dot(at[46] - at[1]) / (along * across), 0, 0.01);
}

TEST(BeforePlaneOutside, ThePublishedHomographyOfTheGraffitiWallComesBack) {
  cv::Mat m;
  cv::FileStorage(test::kOpenCvData + "H1to3p.xml", cv::FileStorage::READ)["H13"] >> m;
  ASSERT_EQ(m.rows, 3) << test::kOpenCvData << " is not there (package opencv-doc)";
  Mat3 h;
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) h(y, x) = m.at<double>(y, x);
  // 800 x 640 pixels, counted from the middle. Its focal length is not published: whichever it was, there are cameras
  // that see just this, and two of them.
  Mat3 shift = Mat3::Identity();
  shift(0, 2) = -400, shift(1, 2) = -320;
  const Mat3 centred = shift * h * shift.inverse();
  for (const double f : {600.0, 800.0, 1200.0}) {
    const auto worlds = solve::planeWorlds(1, {{3, centred}}, Vec2(0, 0), 800, f);
    EXPECT_EQ(worlds.size(), 2U) << f;
    for (const auto& w : worlds) {
      const auto& v = w.views.at(3);
      const Vec3 lengths(f, f, 1);
      const Mat3 back =
          lengths.asDiagonal() * (v.turn + v.place * w.normal.transpose()) * lengths.cwiseInverse().asDiagonal();
      double worst = 0;
      for (const auto& [x, y] :
           {std::pair(-300.0, -250.0), {300.0, -250.0}, {300.0, 250.0}, {-300.0, 250.0}, {0.0, 0.0}})
        worst =
            std::max(worst, ((back * Vec3(x, y, 1)).hnormalized() - (centred * Vec3(x, y, 1)).hnormalized()).norm());
      std::printf("focal length %.0f px: normal %.3f %.3f %.3f, homography back to %.2g px\n", f, w.normal.x(),
                  w.normal.y(), w.normal.z(), worst);
      EXPECT_LT(worst, 1e-4) << f;
    }
  }
}
