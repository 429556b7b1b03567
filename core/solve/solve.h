#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/camera/camera.h"
#include "core/lens/lens.h"
#include "core/track/tracks.h"

namespace zentil::solve {

struct SolveQuestion {
  bool focalKnown = false;  ///< the body's focal length is believed; else one unknown length for the whole shot
  bool k1 = true, k2 = true, centre = true;  ///< refined; those that are not stay as the lens and body say
  bool operator==(const SolveQuestion&) const = default;
};

/// How well one track fits.
struct TrackError {
  int id = 0;
  double meanPx = 0, worstPx = 0;
  int length = 0;
  bool used = true;  ///< false: it fits no still world, or cannot be placed
  bool operator==(const TrackError&) const = default;
};

/// How well a whole solve fits.
struct Errors {
  double rmsPx = 0;                ///< over the tracks used, per place
  std::map<int, double> perFrame;  ///< RMS
  std::vector<TrackError> tracks;
  std::vector<std::string> remarks;
  bool operator==(const Errors&) const = default;
};

struct SolveAnswer {
  camera::CameraPath camera;  ///< world: the first camera stands at the origin, looking along -Z, Y up; size is free
  lens::Lens lens;
  struct Point {
    int track = 0;
    Vec3 at = Vec3::Zero();
    double errorPx = 0;
    int frames = 0;
  };
  std::vector<Point> points;
  Errors errors;
};

/// Finds the camera's path, its focal length and lens from tracks alone: two frames far apart give a first guess for a
/// row of focal lengths (Nister 2004, An Efficient Solution to the Five-Point Relative Pose Problem; OpenCV's
/// findEssentialMat), the others are added by their points (perspective-n-point with RANSAC), everything is refined
/// together, what fits no still world is left out, and refined again. `body` gives film back, and focal length and
/// centre where they are known. Throws Error with what to do when tracks do not determine a camera: too few, too short,
/// or no parallax.
SolveAnswer solve(const track::Tracks& tracks, const FrameRange& range, int width, int height,
                  const camera::CameraPath& body, const lens::Lens& lens, const SolveQuestion& question,
                  const Job& job = {});

}  // namespace zentil::solve
