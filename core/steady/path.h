#pragma once
#include <map>
#include <memory>

#include "core/shot/shot.h"

namespace zentil::steady {

/// The camera that looks at the steadied picture: where the shot's stands, turned and zoomed so that what is held
/// stays. The steadied picture is straight (without the lens) and as large as the plate; what is delivered of it may be
/// a crop. A steadied sphere is a sphere:
/// of its camera only the turn counts.
struct Path {
  std::map<int, camera::Camera> looks;  ///< by frame
  double enlarged = 1;                  ///< by so much at the most, so that no edge shows
  /// A plane is held: by frame what takes the steadied picture's (x, y, 1) to directions from where the shot's camera
  /// stands. No camera sees so; `looks` are the shot's own.
  std::map<int, Mat3> through;
};

/// As the shot's settings ask. Throws Error, with what to do: without a camera; for a spot or a plane that is gone, or
/// behind the camera on a frame; for a surface that is not flat, or seen edge on; where no enlargement below eight
/// times hides the edges; for what no sphere can be asked.
Path pathOf(const shot::Shot& shot);

/// What a path is worked out from: equal inputs have equal paths.
struct PathInputs {
  std::shared_ptr<const camera::CameraPath> camera;
  lens::Lens lens;
  shot::Steady steady;
  std::vector<set::Spot> spots;
  std::vector<set::MovingSurface> plane;  ///< that is held; none: no plane is
  FrameRange range;
  int width = 0, height = 0;
  shot::Projection projection = shot::Projection::Camera;
  bool operator==(const PathInputs&) const = default;

  explicit PathInputs(const shot::Shot& shot);
};

/// The same, kept for as long as what it comes from is the same: of the last few shots that were asked for.
std::shared_ptr<const Path> keptPathOf(const shot::Shot& shot);

/// From the steadied picture's pixels to the plate's on a frame, and back (Look, once).
bool toPlate(const shot::Shot& shot, const Path& path, int frame, const Vec2& steady, Vec2& plate);
bool fromPlate(const shot::Shot& shot, const Path& path, int frame, const Vec2& plate, Vec2& steady);

/// The least enlargement, about the crop's middle, with which no frame shows beyond the plate's edge within the crop;
/// over 8 where none does.
double leastEnlargement(const shot::Shot& shot, const Path& path);

/// By frame, the least with which that frame shows none, about a place of the steadied picture, at least 1.
std::map<int, double> leastEnlargements(const shot::Shot& shot, const Path& path, const Vec2& about);

}  // namespace zentil::steady
