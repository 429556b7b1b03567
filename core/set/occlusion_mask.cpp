#include "core/set/occlusion_mask.h"

#include <cmath>

#include "core/set/form.h"

namespace zentil::set {
namespace {
constexpr double kCell = 8, kNearest = 0.01, kStep = 4;
constexpr size_t kManyTriangles = 50000;

/// What lies wholly beyond a plane, seen from the camera, never stands in front of it.
bool isBeyond(const Surface& s, const Surface& plane, const Vec3& eye) {
  const double side = plane.normal().dot(eye - plane.position) >= 0 ? 1 : -1;
  for (const auto& [a, b] : hullOf(s))
    if (side * plane.normal().dot(a - plane.position) > 1e-3) return false;
  return true;
}
}  // namespace

OcclusionMask::OcclusionMask(const RayScene& scene, int target, const camera::Camera* camera) {
  if (camera) {
    *this = OcclusionMask(scene, target, *camera);
    return;
  }
  for (size_t i = 0; i < scene.surfaces().size(); ++i)
    everywhere_ = everywhere_ || (static_cast<int>(i) != target && scene.surfaces()[i].occludes);
}

OcclusionMask::OcclusionMask(const RayScene& scene, int target, const camera::Camera& camera) {
  const Surface& aim = scene.surfaces()[static_cast<size_t>(target)];
  const bool onFlat = formOf(aim.kind).isFlat();
  // Half a frame around the frame; what is further out counts as "may".
  // An optical centre absurdly far from the picture would ask for a mask of its distance: then nothing is told.
  constexpr double kMostCells = 4e6;
  const double across = std::ceil(4 * camera.cx / kCell), down = std::ceil(4 * camera.cy / kCell);
  if (!(std::max(1.0, across) * std::max(1.0, down) < kMostCells)) {
    *this = OcclusionMask(scene, target, static_cast<const camera::Camera*>(nullptr));
    return;
  }
  origin_ = {-camera.cx, -camera.cy};
  columns_ = static_cast<int>(std::max(1.0, across));
  rows_ = static_cast<int>(std::max(1.0, down));
  for (size_t i = 0; i < scene.surfaces().size() && !everywhere_; ++i) {
    const Surface& s = scene.surfaces()[i];
    if (static_cast<int>(i) == target || !s.occludes) continue;
    if (onFlat && isBeyond(s, aim, camera.position)) continue;
    if (cells_.empty()) cells_.resize(static_cast<size_t>(columns_) * rows_);
    // A flat-sided thing hides up to its edges, or to where it cuts through a plane, in a line that ends at its edges:
    // both show at a cell's corners, or on an edge within. Of anything else, every place it covers is suspect.
    if (onFlat && formOf(s.kind).isFlatSided())
      for (const auto& [a, b] : outlineOf(s)) markEdge(a, b, camera);
    else
      markTriangles(scene.triangles(static_cast<int>(i)), camera);
  }
}

void OcclusionMask::markEdge(Vec3 a, Vec3 b, const camera::Camera& camera) {
  double da = camera.depthOf(a), db = camera.depthOf(b);
  if (da < kNearest && db < kNearest) return;
  if (da < kNearest) a += (b - a) * ((kNearest - da) / (db - da));
  if (db < kNearest) b += (a - b) * ((kNearest - db) / (da - db));
  Vec2 p, q;
  if (!camera.project(a, p) || !camera.project(b, q)) return;
  // Only the part near the frame; a projected line stays a line.
  double from = 0, to = 1;
  const Vec2 way = q - p, far = origin_ + Vec2(columns_, rows_) * kCell;
  for (int k = 0; k < 2; ++k) {
    if (std::abs(way[k]) < 1e-9) {
      if (p[k] < origin_[k] || p[k] > far[k]) return;
      continue;
    }
    const double t0 = (origin_[k] - p[k]) / way[k], t1 = (far[k] - p[k]) / way[k];
    from = std::max(from, std::min(t0, t1)), to = std::min(to, std::max(t0, t1));
  }
  if (from > to) return;
  const int steps = static_cast<int>(std::ceil((to - from) * way.norm() / kStep)) + 1;
  for (int k = 0; k <= steps; ++k) {
    const Cell at = cellOf(p + way * (from + (to - from) * k / steps));
    mark(at, at);
  }
}

void OcclusionMask::markTriangles(const Mesh& mesh, const camera::Camera& camera) {
  std::vector<Cell> at(mesh.points.size());
  for (size_t i = 0; i < at.size(); ++i) {
    Vec2 p;
    if (camera.depthOf(mesh.points[i]) < kNearest || !camera.project(mesh.points[i], p)) {
      everywhere_ = true;
      return;
    }
    at[i] = cellOf(p);
  }
  const auto around = [](Cell& lo, Cell& hi, const Cell& c) {
    lo = {std::min(lo.x, c.x), std::min(lo.y, c.y)}, hi = {std::max(hi.x, c.x), std::max(hi.y, c.y)};
  };
  if (mesh.triangles.size() > kManyTriangles) {
    Cell lo = at[0], hi = at[0];
    for (const Cell& c : at) around(lo, hi, c);
    mark(lo, hi);
    return;
  }
  for (const auto& t : mesh.triangles) {
    Cell lo = at[static_cast<size_t>(t[0])], hi = lo;
    around(lo, hi, at[static_cast<size_t>(t[1])]), around(lo, hi, at[static_cast<size_t>(t[2])]);
    mark(lo, hi);
  }
}

OcclusionMask::Cell OcclusionMask::cellOf(const Vec2& p) const {
  const auto cell = [&](int k, int most) {
    return static_cast<int>(std::clamp((p[k] - origin_[k]) / kCell + 1, 0.0, most + 1.0)) - 1;
  };
  return {cell(0, columns_), cell(1, rows_)};
}

void OcclusionMask::mark(const Cell& lo, const Cell& hi) {
  for (int y = std::max(0, lo.y); y <= std::min(hi.y, rows_ - 1); ++y)
    for (int x = std::max(0, lo.x); x <= std::min(hi.x, columns_ - 1); ++x)
      cells_[static_cast<size_t>(y) * columns_ + x] = 1;
}

bool OcclusionMask::within(const Vec2 (&corners)[4]) const {
  if (everywhere_) return true;
  if (cells_.empty()) return false;
  Vec2 lo = corners[0], hi = corners[0];
  for (const Vec2& c : corners) lo = lo.cwiseMin(c), hi = hi.cwiseMax(c);
  // Edges are marked every few pixels.
  lo = (lo - origin_ - Vec2(kStep, kStep)) / kCell, hi = (hi - origin_ + Vec2(kStep, kStep)) / kCell;
  if (!(lo.minCoeff() >= 0) || !(hi.x() < columns_) || !(hi.y() < rows_)) return true;
  for (int y = static_cast<int>(lo.y()); y <= static_cast<int>(hi.y()); ++y)
    for (int x = static_cast<int>(lo.x()); x <= static_cast<int>(hi.x()); ++x)
      if (cells_[static_cast<size_t>(y) * columns_ + x]) return true;
  return false;
}

}  // namespace zentil::set
