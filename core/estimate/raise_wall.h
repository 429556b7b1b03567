#pragma once
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::estimate {

/// A wall that was raised where no points are.
struct WallFit {
  set::Surface surface;
  std::string by;         ///< id of the surface that it stands square to, or along; empty: as its foot was drawn
  bool along = false;     ///< along that one, not square to it
  double offDegrees = 0;  ///< by how much the foot was drawn beside that
};

/// A wall that stands square on a surface (`on`, by id), through its foot on a frame: two places, plate pixels, where
/// they meet. Where the foot runs within six degrees of square to another surface that stands square on the same one,
/// or of along it, it is taken to run just so, unless `freely`. One place alone: square to the nearest such surface. It
/// is as wide as the foot, reaches to the frame's upper edge, and faces the camera. Throws Error where there is no
/// camera, where the foot misses, and for one place where nothing else stands there.
WallFit raiseWall(const shot::Shot& shot, const std::string& on, int frame, const std::vector<Vec2>& foot,
                  bool freely = false);

}  // namespace zentil::estimate
