#include "core/steady/look.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/lens/pixel_maps.h"
#include "core/map/lattice.h"
#include "core/value/hash.h"

namespace zentil::steady {

namespace {

/// Of the files of a lens's ST maps; 0 where it has none.
uint64_t mapsKeyOf(const lens::Lens& lens) {
  if (!lens.maps) return 0;
  value::Hasher h;
  for (const std::string& file : {lens.maps->undistortFile, lens.maps->redistortFile})
    if (!file.empty()) h.add(file).add(stampOf(file).key());
  return h.key();
}

}  // namespace

Look::Look(view::ViewPtr look, view::ViewPtr plate, const Box& box, bool sphere, uint64_t mapsKey)
    : look_(std::move(look)), plate_(std::move(plate)), box_(box), sphere_(sphere), mapsKey_(mapsKey) {}

bool Look::toPlate(const Vec2& looked, Vec2& plate) const {
  Vec3 way;
  bool there = look_->unproject(looked, way);
  way *= view::kFarAway;
  if (there) plate_->project(&way, 1, &plate, &there);
  return there && plate.allFinite();
}

bool Look::fromPlate(const Vec2& plate, Vec2& looked) const {
  Vec3 way;
  bool there = plate_->unproject(plate, way);
  if (there) look_->project(&way, 1, &looked, &there);
  return there && looked.allFinite();
}

image::Picture Look::of(const image::Picture& plate, map::Filter filter, comp::RenderCache& cache) const {
  const auto places = cache.thing<map::Lattice>(value::Hasher().add("places").add(key()).key(),
                                                [&] { return map::Lattice::kept(map::Between(look_, plate_), box_); });
  return map::resample(plate, *places, box_, filter, sphere_ ? image::Ends::Meet : image::Ends::Apart);
}

uint64_t Look::key() const {
  // Where some of its pixels come from tells two looks apart, except through ST maps, which may differ anywhere.
  value::Hasher h;
  h.add(mapsKey_).add(box_.x0).add(box_.y0).add(box_.x1).add(box_.y1);
  for (const Vec2& at : {Vec2(0.1, 0.2), Vec2(0.9, 0.3), Vec2(0.5, 0.55), Vec2(0.2, 0.8), Vec2(0.7, 0.9)}) {
    Vec2 plate;
    const bool there = toPlate({at.x() * box_.width(), at.y() * box_.height()}, plate);
    h.add(there).add(there ? plate : Vec2(Vec2::Zero()));
  }
  return h.key();
}

Look lookAt(const shot::Shot& s, const Path& path, int frame) {
  const auto it = path.looks.find(frame);
  if (it == path.looks.end())
    throw Error(fmt::format("there is no camera on frame {}", frame), "Solve it, or load one");
  const bool sphere = s.projection == shot::Projection::Sphere;
  view::ViewPtr look;
  if (sphere)
    look = std::make_shared<view::Sphere>(s.width, s.height, it->second.rotation, it->second.position);
  else if (const auto held = path.through.find(frame); held != path.through.end())
    look = std::make_shared<view::Projective>(held->second, it->second.position);
  else
    look = std::make_shared<view::Perspective>(it->second);
  return {look, s.viewAt(frame), s.frameBox(), sphere, mapsKeyOf(s.lens)};
}

Mat3 flatAxes(const shot::Shot& s, const Path* path, int frame, bool ofWorld) {
  if (ofWorld) return Mat3::Identity();
  if (path && path->looks.count(frame)) return path->looks.at(frame).rotation;
  return s.hasCamera(frame) ? s.cameraAt(frame).rotation : Mat3(Mat3::Identity());
}

Look flatLook(const shot::Shot& s, const Path* path, int frame, const view::Steer& steer, bool ofWorld) {
  const Vec3 position = s.hasCamera(frame) ? s.cameraAt(frame).position : Vec3(Vec3::Zero());
  return {std::make_shared<view::Perspective>(
              view::steered(steer, s.width, s.height, flatAxes(s, path, frame, ofWorld), position)),
          s.viewAt(frame), s.frameBox(), true};
}

}  // namespace zentil::steady
