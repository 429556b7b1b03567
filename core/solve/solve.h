#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/base/job.h"
#include "core/camera/camera.h"
#include "core/lens/lens.h"
#include "core/solve/evidence.h"
#include "core/track/tracks.h"

namespace zentil::solve {

/// What a camera may do through a shot.
enum class Kind {
  Automatic,  ///< Free or Tripod, as the tracks say
  Free,       ///< it moves
  Tripod,     ///< it only turns
  Plane       ///< it moves before one plane, which all tracks lie on
};
/// What is known of its focal length.
enum class Focal {
  Unknown,  ///< one length for the whole shot, found
  Known,    ///< as the body says
  Zooming,  ///< found for every frame
  About     ///< one length for the whole shot, found near what the body says, give or take SolveQuestion::giveMm
};

/// What is done about the camera.
enum class Task {
  Find,    ///< from nothing
  Refine,  ///< the one that is given is moved to where the tracks are met best, and laid where it stood
  Check    ///< the one that is given stays; tracks are placed by it, and the errors shown
};

/// When the rows of a frame are read.
enum class Shutter {
  AtOnce,  ///< all together
  Known,   ///< one after the other, over the time that the camera says
  Found    ///< one after the other, over a time that is found
};

struct SolveSettings {
  Task task = Task::Find;
  Kind kind = Kind::Automatic;
  Focal focal = Focal::Unknown;
  double focalSigmaMm = 2;                   ///< Focal::About: the standard error of what is thought
  bool k1 = true, k2 = true, centre = true;  ///< refined; those that are not stay as the lens and body say
  bool pixelAspect = false;  ///< how wide a pixel is over its height is found; false: it is as the body says
  Shutter shutter = Shutter::AtOnce;
  bool operator==(const SolveSettings&) const = default;
};

inline std::span<const char* const> namesOf(Kind) {
  static constexpr const char* kNames[] = {"automatic", "free", "tripod", "plane"};
  return kNames;
}
inline std::span<const char* const> namesOf(Focal) {
  static constexpr const char* kNames[] = {"unknown", "known", "zooming", "about"};
  return kNames;
}
inline std::span<const char* const> namesOf(Shutter) {
  static constexpr const char* kNames[] = {"at once", "known", "found"};
  return kNames;
}
inline std::span<const char* const> namesOf(Task) {
  static constexpr const char* kNames[] = {"find", "refine", "check"};
  return kNames;
}
template <typename See>
void describe(const SolveSettings*, See&& see) {
  using value::label;
  see("task", &SolveSettings::task, label("task").nonRendering());
  see("kind", &SolveSettings::kind, label("kind of camera").nonRendering());
  see("focal", &SolveSettings::focal, label("focal length").nonRendering());
  see("focalSigmaMm", &SolveSettings::focalSigmaMm,
      label("\u00b1").within(0.01, 1000).in("mm", 2).by(0.1).nonRendering());
  see("k1", &SolveSettings::k1, label("solve k1").nonRendering());
  see("k2", &SolveSettings::k2, label("solve k2").nonRendering());
  see("centre", &SolveSettings::centre, label("solve the optical centre").nonRendering());
  see("pixelAspect", &SolveSettings::pixelAspect, label("solve the pixel aspect").nonRendering());
  see("shutter", &SolveSettings::shutter, label("reading of the rows").nonRendering());
}

/// What became of a track in a solve.
enum class Verdict {
  Used,
  Slides,   ///< it departs a little from any still place: its window holds two depths, an edge or a glint
  Moves,    ///< it departs far from any still place: what it is on moves by itself
  Unplaced  ///< too short, or seen from too few sides, for a place
};

/// How well one track fits.
struct TrackError {
  int id = 0;
  double meanPx = 0, worstPx = 0;  ///< of one that is not used, from the place that suits it best
  int length = 0;
  Verdict verdict = Verdict::Used;
  bool used() const { return verdict == Verdict::Used; }
  bool operator==(const TrackError&) const = default;
};

/// How well a whole solve fits.
struct Errors {
  double rmsPx = 0;  ///< over the tracks used, per place
  Task task = Task::Find;
  Kind kind = Kind::Free;          ///< that the camera was solved as
  std::string why;                 ///< why that kind, where it was chosen
  std::map<int, double> perFrame;  ///< RMS
  std::vector<TrackError> tracks;
  std::vector<std::string> remarks;
  Evidence evidence;  ///< how well each part of each frame is held
  bool operator==(const Errors&) const = default;
};

struct SolveAnswer {
  camera::CameraPath camera;  ///< world: the first camera stands at the origin, looking along -Z, Y up; size is free
  lens::Lens lens;
  struct Point {
    int track = 0;
    Vec3 at = Vec3::Zero();  ///< of a tripod's, a direction: one away from the camera
    double errorPx = 0;
    int frames = 0;
  };
  std::vector<Point> points;
  std::optional<double> pixelAspect;  ///< where it was found: the plate's, which the film back goes with
  Errors errors;
};

/// The camera stands still: there is nothing to be solved, and it can be held (edit::holdStillCamera).
class StandsStill : public Error {
 public:
  using Error::Error;
};

/// Finds the camera's path, its focal length and lens from tracks alone. Of a moving camera two frames far apart give a
/// first guess for a row of focal lengths (Nister 2004, An Efficient Solution to the Five-Point Relative Pose Problem;
/// OpenCV's findEssentialMat), the others are added by their points (perspective-n-point with RANSAC), everything is
/// refined together, what fits no still world is left out, and refined again. Of a turning one, turns between frames do
/// (Kabsch 1976); of one before a plane, how that is seen on several frames (planeWorlds). Where both explain the
/// tracks, the kind is the one that the Bayesian information criterion prefers (Schwarz 1978). To refine or check,
/// `body` is the whole camera and `lens` its lens. Else `body` gives film back, and focal length and centre where they
/// are known. What of the lens is not asked for is held as it is: all of it for maps and for a lens that changes
/// through the shot. Throws StandsStill where the camera does, and Error with what to do when tracks do not determine a
/// camera: too few, or too short.
SolveAnswer solve(const track::Tracks& tracks, const FrameRange& range, int width, int height,
                  const camera::CameraPath& body, const lens::Lens& lens, const SolveSettings& question,
                  const Job& job = {});

}  // namespace zentil::solve
