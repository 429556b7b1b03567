#pragma once
#include "core/comp/render_cache.h"
#include "core/map/between.h"
#include "core/map/resample.h"
#include "core/steady/path.h"

namespace zentil::steady {

/// The plate's picture of one frame looked at otherwise than as shot: steadied, or flat out of a sphere. It is as large
/// as the plate.
class Look {
 public:
  /// `look` and `plate` see from one place. `sphere`: the plate's two ends meet. `mapsKey`: of the plate's ST maps,
  /// which a few positions do not tell apart; 0 where it has none.
  Look(view::ViewPtr look, view::ViewPtr plate, const Box& box, bool sphere, uint64_t mapsKey = 0);

  /// From its pixels to the plate's, and back; false where nothing is.
  bool toPlate(const Vec2& looked, Vec2& plate) const;
  bool fromPlate(const Vec2& plate, Vec2& looked) const;
  const view::ViewPtr& view() const { return look_; }
  /// Where it shows a place of the world.
  bool see(const Vec3& world, Vec2& looked) const { return look_->see(world, looked); }
  /// What it shows of the plate's picture, or of one that was built on it: one resampling. Where its pixels come from
  /// is kept in the workshop: of another frame that is looked at likewise, or this one built anew, it is known.
  image::Picture of(const image::Picture& plate, map::Filter filter, comp::RenderCache& cache) const;
  /// Of all that it depends on.
  uint64_t key() const;

 private:
  view::ViewPtr look_, plate_;
  Box box_;
  bool sphere_;
  uint64_t mapsKey_;
};

/// As the path steadies a frame. Throws Error for a frame it has not.
Look lookAt(const shot::Shot& shot, const Path& path, int frame);
/// The axes that a flat view is steered in: the world's, or those of the path that steadies the sphere, or its own.
Mat3 flatAxes(const shot::Shot& shot, const Path* path, int frame, bool ofWorld);
/// A flat view out of a 2:1 frame, steered in its own axes, or in those of the path that steadies it, or in the
/// world's.
Look flatLook(const shot::Shot& shot, const Path* path, int frame, const view::Steer& steer, bool ofWorld = false);

}  // namespace zentil::steady
