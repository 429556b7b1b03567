#include "core/edit/world.h"

#include "core/base/error.h"

namespace zentil::edit {

set::Upright uprightByLines(const shot::Shot& shot) {
  // A hand errs by so much at a point; what is snapped errs by less (common practice, no source).
  constexpr double kPointPx = 0.3;
  std::vector<std::vector<Vec3>> lines;
  Vec3 near = Vec3::Zero();
  double focalPx = 0;
  for (const auto& l : shot.lines) {
    if (!l.vertical || !l.on || !shot.hasCamera(l.frame)) continue;
    const auto camera = shot.cameraAt(l.frame);
    const auto view = shot.viewAt(l.frame);
    std::vector<Vec3> ways;
    for (const Vec2& p : l.points)
      if (Vec3 way; view->unproject(p, way)) ways.push_back(way);
    lines.push_back(std::move(ways));
    near += camera.rotation.col(1), focalPx = camera.fx;
  }
  if (lines.empty()) throw Error("no line is marked vertical", "Draw two or more at Lens, and say there that they do");
  return set::uprightBy(lines, near, kPointPx / focalPx * 180 / M_PI);
}

set::PlacementAnswer placementOf(const shot::Shot& shot) {
  Vec3 above = Vec3::Zero();
  for (const auto& [f, p] : shot.camera->poses) above += p.position / static_cast<double>(shot.camera->poses.size());
  const bool vertical = std::any_of(shot.constraints.begin(), shot.constraints.end(),
                                    [](const auto& s) { return s.kind == set::WorldConstraint::Kind::Vertical; });
  if (!vertical) return set::place(shot.constraints, *shot.points, above);
  try {
    const auto by = uprightByLines(shot);
    auto out = set::place(shot.constraints, *shot.points, above, by.up);
    out.plumbRms = by.residualDegrees, out.plumbSigma = by.sigmaDegrees;
    return out;
  } catch (const Error& e) {
    auto out = set::place(shot.constraints, *shot.points, above);
    out.remarks.push_back(fmt::format("the vertical constraint fails: {}", e.problem()));
    return out;
  }
}

void moveBy(const set::Placement& to, camera::CameraPath& camera, std::vector<set::Point>& points) {
  for (auto& [f, p] : camera.poses) p.position = to(p.position), p.rotation = to.turn * p.rotation;
  for (auto& p : points) p.at = to(p.at);
}

void applyConstraints(shot::Shot& shot) {
  if (shot.constraints.empty()) return;
  const set::Placement to = placementOf(shot).placement;
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  auto points = std::make_shared<std::vector<set::Point>>(*shot.points);
  moveBy(to, *camera, *points);
  shot.camera = camera, shot.points = points;
  for (auto& s : shot.surfaces) {
    s.position.each([&](Vec3& v) { v = to(v); });
    s.turn.each([&](Mat3& m) { m = Mat3(to.turn * m); });
    s.size.each([&](Vec3& v) { v *= to.size; });
  }
  for (auto& s : shot.spots)
    s.position = to(s.position), s.rotation = to.turn * s.rotation, s.sizeM *= to.size, s.sigmaM *= to.size;
}

namespace {

void requireLength(double lengthM) {
  if (!(lengthM > 1e-4 && lengthM < 1e5)) throw Error("a length is between 0.0001 and 100 000 m", "Type one of those");
}

set::WorldConstraint& at(shot::Shot& shot, size_t which) {
  if (which >= shot.constraints.size()) throw Error("that was not said of the world", "Choose another");
  return shot.constraints[which];
}

}  // namespace

void addConstraint(shot::Shot& shot, const set::WorldConstraint& constraint) {
  using Kind = set::WorldConstraint::Kind;
  if (constraint.kind == Kind::Vertical) uprightByLines(shot);  // says so where they do not
  if (constraint.kind == Kind::Scale)
    requireLength(constraint.lengthM);
  else
    std::erase_if(shot.constraints, [&](const auto& o) { return o.kind == constraint.kind; });
  shot.constraints.push_back(constraint);
  applyConstraints(shot);
}

void setScale(shot::Shot& shot, size_t which, double lengthM) {
  requireLength(lengthM);
  at(shot, which).lengthM = lengthM;
  applyConstraints(shot);
}

void removeConstraint(shot::Shot& shot, size_t which) {
  at(shot, which);
  shot.constraints.erase(shot.constraints.begin() + static_cast<long>(which));
}

}  // namespace zentil::edit
