#include "core/edit/sphere.h"

#include "core/base/error.h"
#include "core/view/view.h"

namespace zentil::edit {
namespace {

/// By so much a hand errs when it draws a line (common practice, no source).
constexpr double kHandPx = 0.5;

void needSphere(const shot::Shot& s) {
  if (s.projection != shot::Projection::Sphere)
    throw Error("the shot's picture is no sphere", "Say at Plate that it is, or open a 2:1 plate");
}

Mat3 standsOn(const shot::Shot& s, int frame) {
  return s.camera->has(frame) ? s.camera->poses.at(frame).rotation : Mat3(Mat3::Identity());
}

/// A sphere has neither film back nor focal length; a camera has to have some.
std::shared_ptr<camera::CameraPath> bodyOf(const char* source) {
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 36, path->backHeightMm = 18, path->focalMm = 18;
  path->source = source;
  return path;
}

/// A line's points as directions in the world.
std::vector<Vec3> waysOf(const shot::Shot& s, const lens::StraightLine& line) {
  const view::Sphere sphere(s.width, s.height, standsOn(s, line.frame));
  std::vector<Vec3> ways(line.points.size());
  for (size_t i = 0; i < ways.size(); ++i) sphere.unproject(line.points[i], ways[i]);
  return ways;
}

void turnWorld(shot::Shot& s, const Mat3& by) {
  std::shared_ptr<camera::CameraPath> path;
  if (s.camera->empty()) {
    path = bodyOf("levelled");
    for (int f = s.range.first; f <= s.range.last; ++f) path->poses[f] = {Vec3::Zero(), by, path->focalMm};
  } else {
    path = std::make_shared<camera::CameraPath>(*s.camera);
    for (auto& [f, pose] : path->poses) pose.rotation = by * pose.rotation, pose.position = by * pose.position;
  }
  s.camera = path;
}

}  // namespace

void takeTurns(shot::Shot& s, const sphere::Turns& turns) {
  if (turns.at.empty()) throw Error("nothing was found of how it turned", "Choose one frame at least");
  auto path = bodyOf("how the sphere turned");
  Mat3 stands = Mat3::Identity();
  for (const auto& [f, turn] : turns.at)
    if (s.camera->has(f)) {
      stands = standsOn(s, f) * turn.rotation.transpose();
      break;
    }
  for (const auto& [f, turn] : turns.at) path->poses[f] = {Vec3::Zero(), stands * turn.rotation, path->focalMm};
  s.camera = path;
}

set::Upright standUprightByLines(shot::Shot& s) {
  needSphere(s);
  std::vector<std::vector<Vec3>> lines;
  for (const auto& line : s.lines)
    if (line.on) lines.push_back(waysOf(s, line));
  auto found = set::uprightBy(lines, Vec3::UnitY(), kHandPx * 360 / s.width);
  turnWorld(s, set::bringingUp(found.up));
  return found;
}

double offPlumb(const shot::Shot& s, const lens::StraightLine& line) { return set::offPlumb(waysOf(s, line)); }

void standUpright(shot::Shot& s, int frame, const Vec2& pixelOfUp) {
  needSphere(s);
  Vec3 up;
  view::Sphere(s.width, s.height, standsOn(s, frame)).unproject(pixelOfUp, up);
  turnWorld(s, set::bringingUp(up.normalized()));
}

}  // namespace zentil::edit
