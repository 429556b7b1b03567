#pragma once
#include "core/edit/spot_depth.h"

namespace zentil::edit {

/// A camera with its lens, in plate pixels.
struct Eye {
  camera::Camera camera;
  lens::LensOnPixels lens;
  Eye(const shot::Shot& s, int frame) : camera(s.cameraAt(frame)), lens(s.lensAt(frame)) {}
  /// One long along the viewing axis.
  bool ray(const Vec2& plate, Vec3& out) const {
    Vec2 straight;
    if (!lens.straightFromPlate(plate, straight)) return false;
    out = camera.towards(straight);
    return true;
  }
  bool project(const Vec3& world, Vec2& plate) const {
    Vec2 straight;
    return camera.project(world, straight) && lens.plateFromStraight(straight, plate) && plate.allFinite();
  }
};

/// A spot at a place of the world, facing a way or its reverse, whichever looks towards the camera.
set::Spot spotOn(const shot::Shot& s, const Eye& eye, int frame, const Vec2& pixel, const Vec3& position,
                 const Vec3& normal);

/// A spot's place by the picture around it (see spotAt). Throws Error, with what to do, where that does not tell it.
SpotFound byPicture(const shot::Shot& s, const Eye& eye, int frame, const Vec2& pixel, comp::Workshop& workshop,
                    const Job& job);

}  // namespace zentil::edit
