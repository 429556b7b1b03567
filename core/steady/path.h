#pragma once
#include <map>

#include "core/shot/shot.h"

namespace zentil::steady {

/// The camera that looks at the steadied picture: where the shot's stands, turned and zoomed so that what is held
/// stays. The steadied picture is straight (without the lens) and as large as the plate. A steadied sphere is a sphere:
/// of its camera only the turn counts.
struct Path {
  std::map<int, camera::Camera> looks;  ///< by frame
  double enlarged = 1;                  ///< focal lengths are so many times the shot's for it
};

/// As the shot's settings ask. Throws Error, with what to do: without a camera; for a spot that is gone, or behind the
/// camera on a frame; where no enlargement below eight times hides the edges; for what no sphere can be asked.
Path pathOf(const shot::Shot& shot);

/// From the steadied picture's pixels to the plate's on a frame, and back (Look, once).
bool toPlate(const shot::Shot& shot, const Path& path, int frame, const Vec2& steady, Vec2& plate);
bool fromPlate(const shot::Shot& shot, const Path& path, int frame, const Vec2& plate, Vec2& steady);

/// The least enlargement, about the middle, with which no frame shows beyond the plate's edge; over 8 where none does.
double leastEnlargement(const shot::Shot& shot, const Path& path);

}  // namespace zentil::steady
