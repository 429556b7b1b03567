// The demo shot's camera from its plate alone, against the truth it was rendered with. Projections are OpenCV's own.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <random>

#include "core/edit/make.h"
#include "core/edit/solves.h"
#include "core/edit/world.h"
#include "core/estimate/follow.h"
#include "core/estimate/raise_wall.h"
#include "core/lens/snap.h"
#include "core/measure/slip.h"
#include "core/shot/shot_json.h"
#include "tests/outside/truth.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::cvCamera;
using test::projected;

namespace {

/// Solved once for all tests here: no matte over the lamp stand; focal length, centre, k1 and k2 unknown.
struct Solved {
  shot::Shot truth = shot::load(test::kPainted);
  track::Tracks tracks;
  solve::SolveAnswer answer;

  Solved() {
    shot::Shot s = truth;
    s.tracking.follow = {}, s.tracking.matte.clear();
    comp::RenderCache cache(size_t{1} << 30);
    tracks = estimate::followShot(s, cache);
    camera::CameraPath body;
    body.backWidthMm = truth.camera->backWidthMm, body.backHeightMm = truth.camera->backHeightMm;
    answer = solve::solve(tracks, s.range, s.width, s.height, body, {}, {});
  }

  static const Solved& get() {
    static const Solved s;
    return s;
  }
};

}  // namespace

TEST(SolveOutside, TheDemosCameraIsFoundFromItsPlateAlone) {
  const auto& s = Solved::get();
  const auto& a = s.answer;
  ASSERT_EQ(a.camera.poses.size(), 72U);
  std::printf("%zu tracks, RMS %.3f px\n", s.tracks.size(), a.errors.rmsPx);
  EXPECT_LE(a.errors.rmsPx, 0.15);
  const Eigen::Matrix4d t = test::byCentres(a.camera, *s.truth.camera);
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

const test::TruthScene& sceneOf() {
  static const test::TruthScene s(Solved::get().truth, Solved::get().answer);
  return s;
}

}  // namespace

TEST(SolveOutside, TruthPointsDoNotSlipThroughIt) {
  const auto& s = sceneOf();
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
  const Eigen::Matrix4d t = sceneOf().toSolve.inverse();
  const double size = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  shot::Shot shot = s.truth;
  auto camera = s.answer.camera;
  for (auto& [f, p] : camera.poses) {
    p.position = t.topLeftCorner<3, 3>() * p.position + t.topRightCorner<3, 1>();
    p.rotation = t.topLeftCorner<3, 3>() / size * p.rotation;
  }
  shot.camera = std::make_shared<camera::CameraPath>(camera);
  shot.lens = s.answer.lens;
  // In the middle every patch shows.
  shot.range = {test::some(1019, shot.range.first), test::some(1054, shot.range.last)};
  comp::RenderCache w(size_t{1200} << 20);
  for (const auto& e : shot.elements) {
    if (!e.on) continue;
    const auto slip = test::slipOver(shot, e, w);
    std::printf("%s on the solved camera: median %.3f px, lock %.3f px\n", e.name.c_str(), slip.medianPx, slip.lockPx);
    EXPECT_LE(slip.medianPx, 0.05) << e.name;
    EXPECT_LE(slip.lockPx, 0.15) << e.name;
  }
}

TEST(SolveOutside, TheWorldIsPutRightAndStaysSoAfterAnotherSolve) {
  const auto& s = Solved::get();
  shot::Shot shot = s.truth;
  shot.surfaces.clear(), shot.elements.clear(), shot.constraints.clear();
  shot.points = std::make_shared<std::vector<set::Point>>();
  shot.tracks = std::make_shared<track::Tracks>(s.tracks);
  edit::takeSolve(shot, s.answer);
  // As somebody would choose them on frame 1036: points on the slip, and two on the plank wall.
  const auto onScreen = [&](const set::Point& p) { return projected(cvCamera(*shot.camera, shot.lens, 1036), p.at); };
  set::WorldConstraint ground, gauge, axis;
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
  gauge.kind = set::WorldConstraint::Kind::Scale, axis.kind = set::WorldConstraint::Kind::Axis;
  gauge.points = axis.points = {set::idOf(*shot.points, static_cast<size_t>(left)),
                                set::idOf(*shot.points, static_cast<size_t>(right))};
  gauge.lengthM = (onWall(leftAt) - onWall(rightAt)).norm();
  shot.constraints = {gauge, axis, ground};
  edit::applyConstraints(shot);
  const auto check = [&](const char* when) {
    const Eigen::Matrix4d t = test::byCentres(*s.truth.camera, *shot.camera);
    const double scale = std::cbrt(t.topLeftCorner<3, 3>().determinant());
    const Vec3 up = t.topLeftCorner<3, 3>() / scale * Vec3::UnitY();
    const double lean = std::acos(std::min(1.0, up.y())) * 180 / M_PI, size = 100 * std::abs(scale - 1);
    const auto said = edit::placementOf(shot);
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
  edit::takeSolve(shot, solve::solve(fewer, shot.range, 1280, 720, body, {}, {}));
  check("after another solve");
}

TEST(SolveOutside, ThingsThatStandPlumbSetItUpright) {
  const auto& s = Solved::get();
  shot::Shot shot = s.truth;
  shot.surfaces.clear(), shot.elements.clear(), shot.constraints.clear();
  edit::takeSolve(shot, s.answer);
  // The frames of window and door (demo/scene/boathouse.pov), clicked five times each, up to 3 px beside.
  std::mt19937 random(1);
  std::uniform_real_distribution<double> hand(-3, 3);
  for (const int frame : {1001, 1036, 1072}) {
    const auto picture = image::readFrame(shot.plate(), frame).picture;
    const auto camera = cvCamera(*s.truth.camera, s.truth.lens, frame);
    for (const double x : {-2.42, -1.08, 1.27, 2.33}) {
      std::vector<Vec2> five;
      for (int k = 0; k < 5; ++k) {
        const Vec2 p = projected(camera, Vec3(x, (x > 0 ? 0.6 : 1.05) + 0.25 * k, 0.035));
        if (p.x() > 8 && p.y() > 8 && p.x() < 1272 && p.y() < 712)
          five.emplace_back(p.x() + hand(random), p.y() + hand(random));
      }
      if (five.size() < 5) continue;
      const auto found = lens::snapLine(picture, five, 6, true);
      if (!found.found) continue;
      lens::StraightLine line;
      line.id = fmt::format("l{}", shot.lines.size()), line.frame = frame, line.points = found.points;
      line.vertical = true;
      shot.lines.push_back(line);
    }
  }
  ASSERT_GE(shot.lines.size(), 6U);
  set::WorldConstraint vertical;
  vertical.kind = set::WorldConstraint::Kind::Vertical;
  shot.constraints = {vertical};
  edit::applyConstraints(shot);
  const Eigen::Matrix4d t = test::byCentres(*s.truth.camera, *shot.camera);
  const double scale = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  const Vec3 up = t.topLeftCorner<3, 3>() / scale * Vec3::UnitY();
  const double lean = std::acos(std::min(1.0, up.y())) * 180 / M_PI;
  const auto said = edit::placementOf(shot);
  std::printf("plumb by %zu lines: up is off by %.3f degrees (said: %.3f), lines by %.3f\n", shot.lines.size(), lean,
              said.plumbSigma, said.plumbRms);
  EXPECT_LE(lean, 0.1);
  EXPECT_LE(lean, 3 * said.plumbSigma);
}

TEST(SolveOutside, AWallWithoutPointsStandsSquareToOneThatHasThem) {
  const auto& s = Solved::get();
  shot::Shot shot = s.truth;
  shot.surfaces.clear(), shot.elements.clear(), shot.constraints.clear();
  edit::takeSolve(shot, s.answer);
  constexpr int kOn = 1036;
  const Vec3 viewer = shot.cameraAt(kOn).position;
  const auto inside = [&](double x0, double y0, double x1, double y1) {
    return edit::pointsInside(shot, kOn, {{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}});
  };
  // As somebody would choose them: points on the slip, and on the planks.
  auto ground = edit::planeThrough(shot, inside(420, 585, 1130, 712), viewer);
  ground.surface.name = "slip";
  const std::string on = edit::addSurface(shot, ground.surface);
  auto planks = edit::planeThrough(shot, inside(300, 240, 820, 420), viewer);
  planks.surface.name = "planks";
  const std::string wall = edit::addSurface(shot, planks.surface);
  // A blank wall that comes forward from the planks, at x = -1: its foot drawn up to 3 px beside.
  std::mt19937 random(5);
  std::uniform_real_distribution<double> hand(-3, 3);
  const auto camera = cvCamera(*s.truth.camera, s.truth.lens, kOn);
  std::vector<Vec2> foot;
  for (const double z : {0.3, 3.0})
    foot.push_back(projected(camera, Vec3(-1, 0, z)) + Vec2(hand(random), hand(random)));
  const auto raised = estimate::raiseWall(shot, on, kOn, foot);
  const auto drawn = estimate::raiseWall(shot, on, kOn, foot, true);
  const Eigen::Matrix4d t = test::byCentres(*s.truth.camera, *shot.camera);
  const double scale = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  const auto off = [&](const set::Surface& w, const Vec3& truly) {
    const Vec3 n = t.topLeftCorner<3, 3>() / scale * truly;
    return std::acos(std::min(1.0, std::abs(n.dot(w.normal())))) * 180 / M_PI;
  };
  std::printf("ground off by %.3f degrees, planks by %.3f, the blank wall by %.3f (as drawn: %.3f)\n",
              off(ground.surface, Vec3::UnitY()), off(planks.surface, Vec3::UnitZ()),
              off(raised.surface, Vec3::UnitX()), off(drawn.surface, Vec3::UnitX()));
  EXPECT_EQ(raised.by, wall);
  EXPECT_FALSE(raised.along);
  EXPECT_LE(off(raised.surface, Vec3::UnitX()), 0.1);
}
