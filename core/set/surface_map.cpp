#include "core/set/surface_map.h"

#include <cmath>

namespace zentil::set {
namespace {
bool overlaps(const std::vector<Box>& boxes, const Vec2 (&corners)[4]) {
  if (boxes.empty()) return false;
  Vec2 lo = corners[0], hi = corners[0];
  for (const Vec2& c : corners) lo = lo.cwiseMin(c), hi = hi.cwiseMax(c);
  for (const Box& b : boxes)
    if (hi.x() >= b.x0 && lo.x() <= b.x1 && hi.y() >= b.y0 && lo.y() <= b.y1) return true;
  return false;
}
}  // namespace

OntoSurface::OntoSurface(const camera::Camera& eye, RayScenePtr scene, int surface)
    : eye_(eye), scene_(std::move(scene)), surface_(surface) {
  others_ = false;
  for (size_t i = 0; i < scene_->surfaces().size(); ++i)
    if (static_cast<int>(i) != surface_ && scene_->surfaces()[i].blocks) others_ = true;
  if (surface_ >= 0) inFront_ = othersSeenBy(eye_);
}

std::vector<Box> OntoSurface::othersSeenBy(const camera::Camera& camera) const {
  std::vector<Box> out;
  const Surface& target = scene_->surfaces()[static_cast<size_t>(surface_)];
  for (size_t i = 0; i < scene_->surfaces().size(); ++i) {
    const Surface& s = scene_->surfaces()[i];
    if (static_cast<int>(i) == surface_ || !s.blocks) continue;
    // What lies wholly beyond a plane, seen from the camera, never stands in front of it.
    if (target.kind == SurfaceKind::Plane) {
      const double side = target.normal().dot(camera.position - target.position) >= 0 ? 1 : -1;
      bool beyond = true;
      for (const auto& [a, b] : outlineOf(s))
        if (side * target.normal().dot(a - target.position) > 1e-3) beyond = false;
      if (beyond) continue;
    }
    Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
    bool all = true;
    for (const auto& [a, b] : outlineOf(s)) {
      Vec2 p;
      if (camera.depthOf(a) < 0.01 || !camera.project(a, p)) {
        all = false;
        break;
      }
      lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
    }
    if (!all)
      out.push_back({-1000000, -1000000, 1000000, 1000000});
    else
      out.push_back({static_cast<int>(std::floor(lo.x())) - 1, static_cast<int>(std::floor(lo.y())) - 1,
                     static_cast<int>(std::ceil(hi.x())) + 1, static_cast<int>(std::ceil(hi.y())) + 1});
  }
  return out;
}

bool OntoSurface::meet(const Vec2& pixel, Vec3& world, int* face, int* surface) const {
  const Vec3 d = eye_.cast(pixel);
  if (surface) *surface = surface_;
  if (surface_ < 0) {
    const auto hit = scene_->first(eye_.position, d);
    if (hit.surface < 0) return false;
    world = eye_.position + hit.distance * d;
    if (face) *face = hit.face;
    if (surface) *surface = hit.surface;
    return true;
  }
  const Surface& s = scene_->surfaces()[static_cast<size_t>(surface_)];
  if (s.kind == SurfaceKind::Plane) {
    // In double precision: a plane is where exactness matters most and costs least.
    const double along = s.normal().dot(d);
    if (std::abs(along) < 1e-12) return false;
    const double t = s.normal().dot(s.position - eye_.position) / along;
    if (!(t > 1e-6)) return false;
    world = eye_.position + t * d;
    const Vec3 own = s.toOwn(world);
    return std::abs(own.x()) <= s.size.x() / 2 && std::abs(own.y()) <= s.size.y() / 2;
  }
  const auto hit = scene_->first(eye_.position, d, surface_);
  if (hit.surface < 0) return false;
  world = eye_.position + hit.distance * d;
  if (face) *face = hit.face;
  return true;
}

void OntoSurface::apply(map::Spot* spots, size_t n) const {
  for (size_t i = 0; i < n; ++i) {
    if (spots[i].piece == map::kNowhere) continue;
    Vec3 world;
    int face = 0, surface = surface_;
    if (!meet(spots[i].at, world, &face, &surface) || (surface_ >= 0 && hiddenFrom(eye_.position, world, surface)) ||
        !land(world, surface, spots[i].at)) {
      spots[i].piece = map::kNowhere;
      continue;
    }
    spots[i].piece = (spots[i].piece * 64 + std::max(0, surface_ < 0 ? surface : 0)) * 8 + face;
  }
}

bool OntoSurface::intricateWithin(const Vec2 (&corners)[4]) const {
  if (surface_ < 0) return true;
  const SurfaceKind kind = scene_->surfaces()[static_cast<size_t>(surface_)].kind;
  return kind == SurfaceKind::Mesh || (others_ && overlaps(inFront_, corners));
}

SeenBy::SeenBy(const camera::Camera& eye, RayScenePtr scene, int surface, const camera::Camera& other, bool needsSight)
    : OntoSurface(eye, std::move(scene), surface), other_(other), needsSight_(needsSight) {
  if (needsSight_ && surface >= 0) inItsWay_ = othersSeenBy(other_);
}

bool SeenBy::land(const Vec3& world, int surface, Vec2& at) const {
  return other_.project(world, at) && !(needsSight_ && hiddenFrom(other_.position, world, surface));
}

bool SeenBy::intricateWithin(const Vec2 (&corners)[4]) const {
  if (OntoSurface::intricateWithin(corners)) return true;
  if (inItsWay_.empty()) return false;
  Vec2 there[4];
  for (int i = 0; i < 4; ++i) {
    Vec3 world;
    if (!meet(corners[i], world) || !other_.project(world, there[i])) return true;
  }
  return overlaps(inItsWay_, there);
}

Unwrapped::Unwrapped(const camera::Camera& eye, RayScenePtr scene, int surface, int width, int height)
    : OntoSurface(eye, std::move(scene), surface), width_(width), height_(height) {
  surface_ = this->scene().surfaces()[static_cast<size_t>(surface)];
}

bool Unwrapped::land(const Vec3& world, int, Vec2& at) const {
  const Vec2 uv = uvOf(surface_, world);
  at = {uv.x() * width_, uv.y() * height_};
  return true;
}

}  // namespace zentil::set
