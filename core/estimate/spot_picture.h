#pragma once
#include "core/estimate/spot_depth.h"

namespace zentil::estimate {

/// A camera with its lens, in plate pixels; as it stands where and when a row is read.
struct Eye {
  camera::Camera camera;
  lens::LensOnPixels lens;
  view::ViewPtr view;
  Eye(const shot::Shot& s, int frame, double row)
      : camera(camera::reading(*s.camera, frame, row, s.width, s.height)),
        lens(s.lensAt(frame)),
        view(s.viewAt(frame)) {}
  /// One long along the viewing axis.
  bool ray(const Vec2& plate, Vec3& out) const {
    Vec2 straight;
    if (!lens.straightFromPlate(plate, straight)) return false;
    out = camera.towards(straight);
    return true;
  }
  bool project(const Vec3& world, Vec2& plate) const { return view->see(world, plate) && plate.allFinite(); }
};

/// A spot at a place of the world, facing a way or its reverse, whichever looks towards the camera.
set::Spot spotOn(const shot::Shot& s, const Eye& eye, int frame, const Vec2& pixel, const Vec3& position,
                 const Vec3& normal);

/// A spot's place by the picture around it (see spotAt). Throws Error, with what to do, where that does not tell it.
SpotFound byPicture(const shot::Shot& s, const Eye& eye, int frame, const Vec2& pixel, comp::RenderCache& cache,
                    const Job& job);

}  // namespace zentil::estimate
