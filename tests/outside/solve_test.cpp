// The demo shot's camera from its plate alone, against the truth it was rendered with. Projections are OpenCV's own.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/calib3d.hpp>

#include "core/build/tracking.h"
#include "core/measure/slip.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// Solved once for all tests here: no matte over the lamp stand; focal length, centre, k1 and k2 unknown.
struct Solved {
  shot::Shot truth = shot::load(std::string(ZENTIL_DEMO) + "/boathouse.zentil");
  track::Tracks tracks;
  solve::SolveAnswer answer;

  Solved() {
    shot::Shot s = truth;
    s.follow = {}, s.notHere.clear();
    build::Workshop workshop(size_t{1} << 30);
    tracks = build::followShot(s, workshop);
    camera::CameraPath body;
    body.backWidthMm = truth.camera->backWidthMm, body.backHeightMm = truth.camera->backHeightMm;
    answer = solve::solve(tracks, s.range, s.plate.width, s.plate.height, body, {}, {});
  }

  static const Solved& get() {
    static const Solved s;
    return s;
  }
};

struct CvCamera {
  cv::Mat inner, lens, turn, place;
};

/// A shot's camera at a frame, as OpenCV has it.
CvCamera cvCamera(const camera::CameraPath& path, const lens::Lens& l, int frame) {
  const auto c = path.at(frame, 1280, 720);
  CvCamera out;
  out.inner = (cv::Mat_<double>(3, 3) << c.fx, 0, c.cx - 0.5, 0, c.fy, c.cy - 0.5, 0, 0, 1);
  out.lens = (cv::Mat_<double>(1, 5) << l.k1, l.k2, l.p1, l.p2, l.k3);
  const Mat3 r = Vec3(1, -1, -1).asDiagonal() * c.rotation.transpose();
  const Vec3 t = -r * c.position;
  cv::Mat m(3, 3, CV_64F);
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) m.at<double>(y, x) = r(y, x);
  cv::Rodrigues(m, out.turn);
  out.place = (cv::Mat_<double>(3, 1) << t.x(), t.y(), t.z());
  return out;
}

Vec2 projected(const CvCamera& c, const Vec3& world) {
  std::vector<cv::Point2d> out;
  cv::projectPoints(std::vector<cv::Point3d>{{world.x(), world.y(), world.z()}}, c.turn, c.place, c.inner, c.lens, out);
  return {out[0].x + 0.5, out[0].y + 0.5};
}

/// Best place of a point seen at these pixels, by Gauss-Newton on OpenCV's projection with its derivatives.
Vec3 triangulated(const std::vector<CvCamera>& cameras, const std::vector<Vec2>& seen, Vec3 x) {
  for (int round = 0; round < 12; ++round) {
    Mat3 h = Mat3::Zero();
    Vec3 g = Vec3::Zero();
    for (size_t i = 0; i < cameras.size(); ++i) {
      const Vec2 at = projected(cameras[i], x);
      Eigen::Matrix<double, 2, 3> j;
      for (int k = 0; k < 3; ++k) j.col(k) = (projected(cameras[i], x + 1e-5 * Vec3::Unit(k)) - at) / 1e-5;
      h += j.transpose() * j, g += j.transpose() * (at - seen[i]);
    }
    const Vec3 d = h.ldlt().solve(g);
    x -= d;
    if (d.norm() < 1e-9) break;
  }
  return x;
}

Eigen::Matrix4d solvedToTruth() {
  const auto& s = Solved::get();
  Eigen::Matrix3Xd a(3, static_cast<long>(s.answer.camera.poses.size())), b = a;
  long i = 0;
  for (const auto& [f, p] : s.answer.camera.poses)
    a.col(i) = p.position, b.col(i) = s.truth.camera->poses.at(f).position, ++i;
  return Eigen::umeyama(a, b, true);
}

}  // namespace

TEST(SolveOutside, TheDemosCameraIsFoundFromItsPlateAlone) {
  const auto& s = Solved::get();
  const auto& a = s.answer;
  ASSERT_EQ(a.camera.poses.size(), 72U);
  std::printf("%zu tracks, RMS %.3f px\n", s.tracks.size(), a.errors.rmsPx);
  EXPECT_LE(a.errors.rmsPx, 0.15);
  const Eigen::Matrix4d t = solvedToTruth();
  double off = 0, turned = 0;
  Vec3 lo = Vec3::Constant(1e30), hi = -lo;
  Mat3 common = Mat3::Zero();
  for (const auto& [f, p] : a.camera.poses) {
    const auto& truth = s.truth.camera->poses.at(f);
    off += (t.topLeftCorner<3, 3>() * p.position + t.topRightCorner<3, 1>() - truth.position).squaredNorm() / 72;
    lo = lo.cwiseMin(truth.position), hi = hi.cwiseMax(truth.position);
    common += truth.rotation * p.rotation.transpose();
  }
  const Eigen::JacobiSVD<Mat3> svd(common, Eigen::ComputeFullU | Eigen::ComputeFullV);
  const Mat3 turn = svd.matrixU() * svd.matrixV().transpose();
  for (const auto& [f, p] : a.camera.poses)
    turned +=
        std::pow(Eigen::AngleAxisd(turn * p.rotation * s.truth.camera->poses.at(f).rotation.transpose()).angle(), 2) /
        72;
  const double centres = 100 * std::sqrt(off) / (hi - lo).norm(), degrees = std::sqrt(turned) * 180 / M_PI;
  std::printf("camera centres off by %.4f%% of the path's diagonal, rotations by %.4f degrees (RMS)\n", centres,
              degrees);
  EXPECT_LE(centres, 0.05);
  EXPECT_LE(degrees, 0.015);
  const double focal = 100 * std::abs(a.camera.focalMm / 24 - 1);
  std::printf("focal length %.3f mm: off by %.3f%%; k1 %.4f, k2 %.4f\n", a.camera.focalMm, focal, a.lens.k1, a.lens.k2);
  EXPECT_LE(focal, 0.2);
  const auto truth = cvCamera(*s.truth.camera, s.truth.lens, 1001), found = cvCamera(a.camera, a.lens, 1001);
  double corner = 0;
  for (const auto& c :
       {cv::Point2d(-0.5, -0.5), cv::Point2d(1279.5, -0.5), cv::Point2d(-0.5, 719.5), cv::Point2d(1279.5, 719.5)}) {
    std::vector<cv::Point2d> in = {c}, one, other;
    cv::undistortPoints(in, one, truth.inner, truth.lens, cv::noArray(), truth.inner, cv::TermCriteria(3, 100, 1e-12));
    cv::undistortPoints(in, other, found.inner, found.lens, cv::noArray(), found.inner,
                        cv::TermCriteria(3, 100, 1e-12));
    corner = std::max(corner, cv::norm(one[0] - other[0]));
  }
  std::printf("straightened corners off by %.2f px at the most\n", corner);
  EXPECT_LE(corner, 0.5);
}

namespace {

/// The truth's points placed anew from where they truly are on the plate, through the solved cameras.
struct Scene {
  std::vector<std::pair<Vec3, Vec3>> places;  ///< in the truth's world and in the solve's
  std::vector<std::vector<std::pair<int, Vec2>>> sights;
  std::map<int, CvCamera> found;
  Eigen::Matrix4d toSolve;  ///< the similarity that fits the truth's places to the solve's best

  Scene() {
    const auto& s = Solved::get();
    const Eigen::Matrix4d back = solvedToTruth().inverse();
    std::map<int, CvCamera> truth;
    for (const auto& [f, p] : s.answer.camera.poses) {
      truth[f] = cvCamera(*s.truth.camera, s.truth.lens, f);
      found[f] = cvCamera(s.answer.camera, s.answer.lens, f);
    }
    for (const auto& p : *s.truth.points) {
      std::vector<CvCamera> cameras;
      std::vector<Vec2> seen;
      std::vector<std::pair<int, Vec2>> where;
      for (const auto& [f, c] : truth) {
        if (s.truth.cameraAt(f).depthOf(p.at) < 0.1) continue;
        const Vec2 at = projected(c, p.at);
        if (at.x() < 0 || at.y() < 0 || at.x() > 1280 || at.y() > 720) continue;
        cameras.push_back(found.at(f)), seen.push_back(at), where.emplace_back(f, at);
      }
      if (where.size() < 5) continue;
      places.emplace_back(p.at,
                          triangulated(cameras, seen, back.topLeftCorner<3, 3>() * p.at + back.topRightCorner<3, 1>()));
      sights.push_back(where);
    }
    Eigen::Matrix3Xd a(3, static_cast<long>(places.size())), b = a;
    for (size_t i = 0; i < places.size(); ++i)
      a.col(static_cast<long>(i)) = places[i].first, b.col(static_cast<long>(i)) = places[i].second;
    toSolve = Eigen::umeyama(a, b, true);
  }

  static const Scene& get() {
    static const Scene s;
    return s;
  }
};

}  // namespace

TEST(SolveOutside, TruthPointsDoNotSlipThroughIt) {
  const Scene& s = Scene::get();
  std::vector<double> own, through;
  for (size_t i = 0; i < s.places.size(); ++i) {
    const Vec3 x = s.toSolve.topLeftCorner<3, 3>() * s.places[i].first + s.toSolve.topRightCorner<3, 1>();
    for (const auto& [f, seen] : s.sights[i]) {
      own.push_back((projected(s.found.at(f), s.places[i].second) - seen).norm());
      through.push_back((projected(s.found.at(f), x) - seen).norm());
    }
  }
  std::sort(own.begin(), own.end());
  std::sort(through.begin(), through.end());
  std::printf(
      "slip of %zu truth points, placed anew: median %.4f, worst %.3f px; the scene by one similarity: median %.4f, "
      "worst %.3f px\n",
      s.places.size(), own[own.size() / 2], own.back(), through[through.size() / 2], through.back());
  EXPECT_GT(s.places.size(), 100U);
  EXPECT_LE(own[own.size() / 2], 0.02);
  EXPECT_LE(own.back(), 0.15);
  EXPECT_LE(through[through.size() / 2], 0.12);
  EXPECT_LE(through.back(), 0.5);
}

TEST(SolveOutside, TheDemosPatchesStayLockedOnIt) {
  const auto& s = Solved::get();
  // The solved camera carried into the demo's world, so that its surfaces stand where they did.
  const Eigen::Matrix4d t = Scene::get().toSolve.inverse();
  const double size = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  shot::Shot shot = s.truth;
  auto camera = s.answer.camera;
  for (auto& [f, p] : camera.poses) {
    p.position = t.topLeftCorner<3, 3>() * p.position + t.topRightCorner<3, 1>();
    p.rotation = t.topLeftCorner<3, 3>() / size * p.rotation;
  }
  shot.camera = std::make_shared<camera::CameraPath>(camera);
  shot.lens = s.answer.lens;
  build::Workshop w(size_t{1200} << 20);
  for (const auto& e : shot.elements) {
    if (!e.on) continue;
    const auto slip = measure::slipOver(shot, e, w);
    std::printf("%s on the solved camera: median %.3f px, lock %.3f px\n", e.name.c_str(), slip.medianPx, slip.lockPx);
    EXPECT_LE(slip.medianPx, 0.05) << e.name;
    EXPECT_LE(slip.lockPx, 0.15) << e.name;
  }
}

TEST(SolveOutside, TheWorldIsPutRightAndStaysSoAfterAnotherSolve) {
  const auto& s = Solved::get();
  shot::Shot shot = s.truth;
  shot.surfaces.clear(), shot.elements.clear(), shot.statements.clear();
  shot.points = std::make_shared<std::vector<set::Point>>();
  shot.tracks = std::make_shared<track::Tracks>(s.tracks);
  shot::takeSolve(shot, s.answer);
  // As somebody would choose them on frame 1036: points on the slip, and two on the plank wall.
  const auto onScreen = [&](const set::Point& p) { return projected(cvCamera(*shot.camera, shot.lens, 1036), p.at); };
  set::Statement ground, gauge, axis;
  const auto camera = s.truth.cameraAt(1036);
  // Where a place on the plate lies on the true wall, z = 0.
  const auto onWall = [&](const Vec2& plate) {
    Vec2 straight;
    EXPECT_TRUE(s.truth.lensAt(1036).straightFromPlate(plate, straight));
    const Vec3 d = camera.towards(straight);
    return Vec3(camera.position - d * (camera.position.z() / d.z()));
  };
  int left = -1, right = -1;
  Vec2 leftAt(1e9, 0), rightAt(-1e9, 0);
  for (size_t i = 0; i < shot.points->size(); ++i) {
    const auto& p = (*shot.points)[i];
    const Vec2 at = onScreen(p);
    if (at.x() > 420 && at.x() < 1130 && at.y() > 585 && at.y() < 712)
      ground.points.push_back(set::idOf(*shot.points, i));
    // The planks between window and door.
    if (at.y() > 240 && at.y() < 420 && at.x() > 480 && at.x() < 820 && p.errorPx < 0.1) {
      const bool lamp = at.x() > 630 && at.x() < 720;
      if (!lamp && at.x() < leftAt.x()) leftAt = at, left = static_cast<int>(i);
      if (!lamp && at.x() > rightAt.x()) rightAt = at, right = static_cast<int>(i);
    }
  }
  ASSERT_GT(ground.points.size(), 10U);
  ASSERT_TRUE(left >= 0 && right >= 0 && rightAt.x() - leftAt.x() > 120);
  gauge.kind = set::Statement::Kind::Gauge, axis.kind = set::Statement::Kind::Axis;
  gauge.points = axis.points = {set::idOf(*shot.points, static_cast<size_t>(left)),
                                set::idOf(*shot.points, static_cast<size_t>(right))};
  gauge.lengthM = (onWall(leftAt) - onWall(rightAt)).norm();
  shot.statements = {gauge, axis, ground};
  shot::applyStatements(shot);
  const auto check = [&](const char* when) {
    // The placed world against the truth's, by the cameras' way.
    Eigen::Matrix3Xd a(3, static_cast<long>(shot.camera->poses.size())), b = a;
    long i = 0;
    for (const auto& [f, p] : shot.camera->poses) {
      const auto& truth = s.truth.camera->poses.at(f);
      a.col(i) = truth.position, b.col(i) = p.position, ++i;
    }
    const Eigen::Matrix4d t = Eigen::umeyama(a, b, true);
    // (By the way of the cameras, not by how they are turned: an optical centre that is off turns all of them alike.)
    const double scale = std::cbrt(t.topLeftCorner<3, 3>().determinant());
    const Vec3 up = t.topLeftCorner<3, 3>() / scale * Vec3::UnitY();
    const double lean = std::acos(std::min(1.0, up.y())) * 180 / M_PI, size = 100 * std::abs(scale - 1);
    const auto said = shot::placementOf(shot);
    std::printf("ground through %zu points, within %.1f mm; ", ground.points.size(), 1000 * said.groundRms);
    std::printf("%s: up is off by %.3f degrees, size by %.3f%%\n", when, lean, size);
    EXPECT_LE(lean, 0.1);
    EXPECT_LE(size, 0.3);
  };
  check("after the statements");
  track::Tracks fewer = s.tracks;
  for (size_t i = 0; i < fewer.size(); ++i) fewer[i].on = i % 5 != 0;
  camera::CameraPath body;
  body.backWidthMm = s.truth.camera->backWidthMm, body.backHeightMm = s.truth.camera->backHeightMm;
  shot::takeSolve(shot, solve::solve(fewer, shot.range, 1280, 720, body, {}, {}));
  check("after another solve");
}
