#include "core/set/surface_map.h"

#include <cmath>

namespace zentil::set {
OntoSurface::OntoSurface(const camera::Camera& eye, RayScenePtr scene, int surface)
    : eye_(eye), scene_(std::move(scene)), surface_(surface) {
  others_ = false;
  for (size_t i = 0; i < scene_->surfaces().size(); ++i)
    if (static_cast<int>(i) != surface_ && scene_->surfaces()[i].blocks) others_ = true;
  if (surface_ >= 0 && others_) inFront_ = InTheWay(*scene_, surface_, eye_);
}

void OntoSurface::meet(const Vec2* pixels, size_t n, Met& met) const {
  if (surface_ >= 0 && scene_->surfaces()[static_cast<size_t>(surface_)].kind == SurfaceKind::Plane) {
    // In double precision: a plane is where exactness matters most and costs least.
    const Surface& s = scene_->surfaces()[static_cast<size_t>(surface_)];
    const double away = s.normal().dot(s.position - eye_.position);
    for (size_t i = 0; i < n; ++i) {
      const Vec3 way = eye_.towards(pixels[i]);
      const double along = s.normal().dot(way), t = away / along;
      met.there[i] = std::abs(along) >= 1e-12 && t > 1e-6;
      if (!met.there[i]) continue;
      met.world[i] = eye_.position + t * way;
      const Vec3 own = s.toOwn(met.world[i]);
      met.there[i] = std::abs(own.x()) <= s.size.x() / 2 && std::abs(own.y()) <= s.size.y() / 2;
      met.surface[i] = surface_, met.face[i] = 0;
    }
    return;
  }
  Vec3 directions[Met::kMost];
  for (size_t i = 0; i < n; ++i) directions[i] = eye_.cast(pixels[i]);
  RayScene::Hit hits[Met::kMost];
  scene_->first(eye_.position, directions, n, surface_, hits);
  for (size_t i = 0; i < n; ++i) {
    met.there[i] = hits[i].surface >= 0;
    met.world[i] = eye_.position + hits[i].distance * directions[i];
    met.surface[i] = hits[i].surface, met.face[i] = hits[i].face;
  }
}

void OntoSurface::dropHidden(const Vec3& eye, Met& met, size_t n) const {
  if (!others_) return;
  Vec3 points[Met::kMost];
  int targets[Met::kMost];
  size_t index[Met::kMost], count = 0;
  for (size_t i = 0; i < n; ++i)
    if (met.there[i]) points[count] = met.world[i], targets[count] = met.surface[i], index[count++] = i;
  if (count == 0) return;
  bool hidden[Met::kMost];
  scene_->hidden(eye, points, targets, count, hidden);
  for (size_t k = 0; k < count; ++k)
    if (hidden[k]) met.there[index[k]] = false;
}

void OntoSurface::apply(map::Spot* spots, size_t n) const {
  Met met;
  Vec2 at[Met::kMost];
  size_t index[Met::kMost];
  for (size_t from = 0; from < n;) {
    size_t count = 0;
    for (; from < n && count < Met::kMost; ++from)
      if (spots[from].piece != map::kNowhere) at[count] = spots[from].at, index[count++] = from;
    meet(at, count, met);
    // The first surface of all that a ray meets is not hidden.
    if (surface_ >= 0) dropHidden(eye_.position, met, count);
    land(met, count, at);
    for (size_t k = 0; k < count; ++k) {
      map::Spot& spot = spots[index[k]];
      if (!met.there[k]) {
        spot.piece = map::kNowhere;
        continue;
      }
      spot.at = at[k];
      spot.piece = (spot.piece * 64 + (surface_ < 0 ? met.surface[k] : 0)) * 8 + met.face[k];
    }
  }
}

bool OntoSurface::intricateWithin(const Vec2 (&corners)[4]) const {
  if (surface_ < 0) return true;
  const SurfaceKind kind = scene_->surfaces()[static_cast<size_t>(surface_)].kind;
  return kind == SurfaceKind::Mesh || inFront_.within(corners);
}

SeenBy::SeenBy(const camera::Camera& eye, RayScenePtr scene, int surface, const camera::Camera& other, bool needsSight)
    : OntoSurface(eye, std::move(scene), surface), other_(other), needsSight_(needsSight) {
  if (needsSight_ && surface >= 0) inItsWay_ = InTheWay(this->scene(), surface, other_);
}

void SeenBy::land(Met& met, size_t n, Vec2* at) const {
  for (size_t i = 0; i < n; ++i)
    if (met.there[i]) met.there[i] = other_.project(met.world[i], at[i]);
  if (needsSight_) dropHidden(other_.position, met, n);
}

bool SeenBy::intricateWithin(const Vec2 (&corners)[4]) const {
  if (OntoSurface::intricateWithin(corners)) return true;
  if (inItsWay_.empty()) return false;
  Met met;
  meet(corners, 4, met);
  Vec2 there[4];
  // A corner that leads nowhere tells by its piece.
  for (size_t i = 0; i < 4; ++i)
    if (!met.there[i] || !other_.project(met.world[i], there[i])) return false;
  return inItsWay_.within(there);
}

Unwrapped::Unwrapped(const camera::Camera& eye, RayScenePtr scene, int surface, int width, int height)
    : OntoSurface(eye, std::move(scene), surface), width_(width), height_(height) {
  surface_ = this->scene().surfaces()[static_cast<size_t>(surface)];
}

void Unwrapped::land(Met& met, size_t n, Vec2* at) const {
  for (size_t i = 0; i < n; ++i) {
    if (!met.there[i]) continue;
    const Vec2 uv = uvOf(surface_, met.world[i]);
    at[i] = {uv.x() * width_, uv.y() * height_};
  }
}

}  // namespace zentil::set
