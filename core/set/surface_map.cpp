#include "core/set/surface_map.h"

#include <cmath>

#include "core/set/form.h"

namespace zentil::set {

namespace {
bool othersBlock(const RayScene& scene, int surface) {
  for (size_t i = 0; i < scene.surfaces().size(); ++i)
    if (static_cast<int>(i) != surface && scene.surfaces()[i].occludes) return true;
  return false;
}
}  // namespace

OntoSurface::OntoSurface(view::ViewPtr eye, RayScenePtr scene, int surface)
    : eye_(std::move(eye)), scene_(std::move(scene)), surface_(surface) {
  others_ = othersBlock(*scene_, surface_);
  if (surface_ >= 0 && others_) inFront_ = OcclusionMask(*scene_, surface_, eye_->pinhole());
  form_ = surface_ >= 0 ? &formOf(scene_->surfaces()[static_cast<size_t>(surface_)].kind) : nullptr;
  if (!form_ || !form_->isFlat() || others_) scene_->prepare(surface_, others_);
}

void OntoSurface::meet(const Vec2* pixels, size_t n, Met& met) const {
  Vec3 ways[Met::kMost];
  bool seen[Met::kMost];
  eye_->unproject(pixels, n, ways, seen);
  const bool still = eye_->standsStill();
  Vec3 eyes[Met::kMost];
  for (size_t i = 0; i < n; ++i) eyes[i] = still ? eye_->position() : eye_->positionAt(pixels[i]);
  if (form_ && form_->isFlat()) {
    // In double precision: a plane is where exactness matters most and costs least.
    const Surface& s = scene_->surfaces()[static_cast<size_t>(surface_)];
    const Vec3 normal = s.normal();
    for (size_t i = 0; i < n; ++i) {
      met.there[i] = seen[i];
      if (!seen[i]) continue;
      const Vec3& way = ways[i];
      const double along = normal.dot(way), t = normal.dot(s.position - eyes[i]) / along;
      met.there[i] = std::abs(along) >= 1e-12 && t > 1e-6;
      if (!met.there[i]) continue;
      met.world[i] = eyes[i] + t * way;
      const Vec3 own = s.toOwn(met.world[i]);
      met.there[i] = std::abs(own.x()) <= s.size.x() / 2 && std::abs(own.y()) <= s.size.y() / 2;
      met.surface[i] = surface_, met.face[i] = 0;
    }
    return;
  }
  for (size_t i = 0; i < n; ++i) ways[i] = seen[i] ? Vec3(ways[i].normalized()) : Vec3(0, 0, 1);
  RayScene::Hit hits[Met::kMost];
  if (still) scene_->first(eye_->position(), ways, n, surface_, hits);
  for (size_t i = 0; !still && i < n; ++i) scene_->first(eyes[i], &ways[i], 1, surface_, &hits[i]);
  for (size_t i = 0; i < n; ++i) {
    met.there[i] = seen[i] && hits[i].surface >= 0;
    met.world[i] = eyes[i] + hits[i].distance * ways[i];
    met.surface[i] = hits[i].surface, met.face[i] = hits[i].face;
  }
}

void OntoSurface::dropHidden(const RayScene& scene, const view::View& view, const Vec2* pixels, Met& met,
                             size_t n) const {
  Vec3 points[Met::kMost];
  int targets[Met::kMost];
  size_t index[Met::kMost], count = 0;
  for (size_t i = 0; i < n; ++i)
    if (met.there[i]) points[count] = met.world[i], targets[count] = met.surface[i], index[count++] = i;
  if (count == 0) return;
  bool hidden[Met::kMost];
  if (view.standsStill())
    scene.hidden(view.position(), points, targets, count, hidden);
  else
    for (size_t k = 0; k < count; ++k)
      scene.hidden(view.positionAt(pixels[index[k]]), &points[k], &targets[k], 1, &hidden[k]);
  for (size_t k = 0; k < count; ++k)
    if (hidden[k]) met.there[index[k]] = false;
}

void OntoSurface::apply(map::MapSample* spots, size_t n) const {
  Met met;
  Vec2 at[Met::kMost];
  size_t index[Met::kMost];
  for (size_t from = 0; from < n;) {
    size_t count = 0;
    for (; from < n && count < Met::kMost; ++from)
      if (spots[from].branch != map::kInvalid) at[count] = spots[from].at, index[count++] = from;
    meet(at, count, met);
    // The first surface of all that a ray meets is not hidden.
    if (surface_ >= 0 && others_) dropHidden(*scene_, *eye_, at, met, count);
    project(met, count, at);
    for (size_t k = 0; k < count; ++k) {
      map::MapSample& spot = spots[index[k]];
      if (!met.there[k]) {
        spot.branch = map::kInvalid;
        continue;
      }
      spot.at = at[k];
      spot.branch = ((spot.branch * 64 + (surface_ < 0 ? met.surface[k] : 0)) * 8 + met.face[k]) * 4 + pieceOf(at[k]);
    }
  }
}

namespace {
/// Asks a mask that was made for a view's pinhole about a view's pixels.
bool within(const OcclusionMask& mask, const view::View& view, const Vec2 (&corners)[4]) {
  if (mask.empty()) return false;
  Vec2 at[4];
  for (size_t i = 0; i < 4; ++i)
    if (!view.straight(corners[i], at[i])) return true;
  return mask.within(at);
}
}  // namespace

bool OntoSurface::intricateWithin(const Vec2 (&corners)[4]) const {
  if (!form_ || form_->isIntricate()) return true;
  return within(inFront_, *eye_, corners);
}

SeenBy::SeenBy(const camera::Camera& eye, const RayScenePtr& scene, int surface, const camera::Camera& other,
               bool needsSight)
    : SeenBy(std::make_shared<view::Perspective>(eye), scene, surface, std::make_shared<view::Perspective>(other),
             scene, needsSight) {}

SeenBy::SeenBy(view::ViewPtr eye, const RayScenePtr& scene, int surface, view::ViewPtr other, bool needsSight)
    : SeenBy(std::move(eye), scene, surface, std::move(other), scene, needsSight) {}

SeenBy::SeenBy(view::ViewPtr eye, RayScenePtr scene, int surface, view::ViewPtr other, RayScenePtr otherScene,
               bool needsSight)
    : OntoSurface(std::move(eye), std::move(scene), surface),
      other_(std::move(other)),
      otherScene_(std::move(otherScene)),
      needsSight_(needsSight) {
  for (size_t i = 0; i < this->scene().surfaces().size(); ++i) {
    const Surface &here = this->scene().surfaces()[i], &there = otherScene_->surfaces()[i];
    if (surface < 0 || static_cast<int>(i) == surface)
      moves_ |= here.position != there.position || here.turn != there.turn || here.size != there.size;
  }
  // What does not bend away from an eye hides nothing of itself.
  needsSight_ = needsSight_ && (surface < 0 || othersBlock(*otherScene_, surface) ||
                                !formOf(this->scene().surfaces()[static_cast<size_t>(surface)].kind).isFlat());
  if (needsSight_ && surface >= 0) inItsWay_ = OcclusionMask(*otherScene_, surface, other_->pinhole());
  if (needsSight_) otherScene_->prepare(surface, true);
}

void SeenBy::carry(Met& met, size_t n) const {
  if (!moves_) return;
  for (size_t i = 0; i < n; ++i) {
    if (!met.there[i]) continue;
    const auto which = static_cast<size_t>(met.surface[i]);
    const Surface &here = scene().surfaces()[which], &there = otherScene_->surfaces()[which];
    const Vec3 ratio = formOf(here.kind).isFlat() ? Vec3(1, 1, 1) : Vec3(there.size.cwiseQuotient(here.size));
    met.world[i] = there.toWorld(here.toOwn(met.world[i]).cwiseProduct(ratio));
  }
}

void SeenBy::project(Met& met, size_t n, Vec2* at) const {
  carry(met, n);
  const Vec3 eye = other_->position();
  Vec3 ways[Met::kMost];
  bool lands[Met::kMost];
  for (size_t i = 0; i < n; ++i) ways[i] = met.there[i] ? Vec3(met.world[i] - eye) : Vec3(Vec3::UnitZ());
  other_->project(ways, n, at, lands);
  for (size_t i = 0; i < n; ++i) met.there[i] = met.there[i] && lands[i];
  if (needsSight_) dropHidden(*otherScene_, *other_, at, met, n);
}

bool SeenBy::intricateWithin(const Vec2 (&corners)[4]) const {
  if (OntoSurface::intricateWithin(corners)) return true;
  if (inItsWay_.empty()) return false;
  Met met;
  meet(corners, 4, met);
  carry(met, 4);
  Vec2 there[4];
  // A corner that leads nowhere tells by its piece.
  for (size_t i = 0; i < 4; ++i)
    if (!met.there[i] || !other_->see(met.world[i], there[i])) return false;
  return within(inItsWay_, *other_, there);
}

Unwrapped::Unwrapped(view::ViewPtr eye, RayScenePtr scene, int surface, double width, double height)
    : OntoSurface(std::move(eye), std::move(scene), surface), width_(width), height_(height) {
  surface_ = this->scene().surfaces()[static_cast<size_t>(surface)];
}

void Unwrapped::project(Met& met, size_t n, Vec2* at) const {
  for (size_t i = 0; i < n; ++i) {
    if (!met.there[i]) continue;
    const Vec2 uv = uvOf(surface_, met.world[i]);
    at[i] = {uv.x() * width_, uv.y() * height_};
  }
}

}  // namespace zentil::set
