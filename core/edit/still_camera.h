#pragma once
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// CameraPath::source of a camera that was held.
constexpr const char* kStaticCamera = "static camera";

/// What a camera that stands still was given.
struct StillCamera {
  double focalMm = 0;
  bool assumed = false;  ///< nobody said the focal length: a normal lens was taken
  std::string backdrop;  ///< id of the surface
};

/// Holds the shot's camera still over its range: at the origin, looking along -Z, with the body's film back and focal
/// length. What does not move is the set: one plane, "backdrop", ten metres away, that fills the straight frame and a
/// little more. A fill on it, from all frames and without a matte, is the shot's clean plate. An earlier backdrop is
/// used again. How far the plane is, and how long the lens, moves nothing on the screen while the camera stands. Throws
/// Error for a sphere and for a shot without a plate.
StillCamera holdStillCamera(shot::Shot& shot);

}  // namespace zentil::edit
