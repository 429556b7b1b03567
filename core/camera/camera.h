#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/base/geometry.h"
#include "core/value/setting.h"

namespace zentil::camera {

/// A pinhole camera at one moment, in *straight* pixels (the lens comes after it, see core/lens).
/// It looks along its own -Z with +Y up. `rotation` turns camera directions into world directions: its columns are
/// the camera's X, Y and Z axes.
struct Camera {
  double fx = 1, fy = 1;  ///< focal length in pixels, across and down
  double cx = 0, cy = 0;  ///< optical centre, pixels
  Vec3 position = Vec3::Zero();
  Mat3 rotation = Mat3::Identity();

  /// Where a world point lands, in straight pixels. False for points at or behind the camera.
  bool project(const Vec3& world, Vec2& pixel) const;
  /// Distance along the viewing axis, positive in front of the camera.
  double depthOf(const Vec3& world) const;
  /// Direction, in the world, of the ray through a straight pixel, one long along the viewing axis; it starts at
  /// `position`.
  Vec3 towards(const Vec2& pixel) const { return rotation * Vec3((pixel.x() - cx) / fx, -(pixel.y() - cy) / fy, -1.0); }
  /// The same, of length one.
  Vec3 unproject(const Vec2& pixel) const { return towards(pixel).normalized(); }
};

struct Pose {
  Vec3 position = Vec3::Zero();
  Mat3 rotation = Mat3::Identity();
  double focalMm = 0;
  bool operator==(const Pose&) const = default;
};

/// A camera's body and its way through the shot.
struct CameraPath {
  double backWidthMm = 24.89, backHeightMm = 14.0;  ///< film back
  Vec2 centreOffsetPx = Vec2::Zero();               ///< optical centre from the frame's centre, x right, y down
  double focalMm = 0;                               ///< where no pose says it; 0 is unknown
  double readout = 0;         ///< part of a frame's time from the first row's reading to the last's; 0: all at once
  std::map<int, Pose> poses;  ///< by frame
  std::string source;         ///< where it came from, for people
  value::Unknown unknown;

  bool empty() const { return poses.empty(); }
  FrameRange range() const;
  bool has(int frame) const { return poses.count(frame) != 0; }
  /// The camera at a frame for a picture of width x height pixels. Throws Error when the frame has no pose.
  Camera at(int frame, int width, int height) const;
  /// The same without a place in the world, for every frame: without a pose by the nearest one's focal length, by
  /// `focalMm` when there is none, and by one as long as the film back is wide when that is unknown too.
  Camera bodyAt(int frame, int width, int height) const;
  /// Focal length that bodyAt() counts with, mm.
  double focalAt(int frame) const;
  /// Frames of `range` without a pose.
  std::vector<int> gaps(const FrameRange& range) const;
  bool operator==(const CameraPath&) const = default;
};

template <typename See>
void describe(const Pose*, See&& see) {
  using value::label;
  see("position", &Pose::position, label("place"));
  see("rotation", &Pose::rotation, label("direction"));
  see("focalMm", &Pose::focalMm, label("focal length").in("mm", 2));
}
template <typename See>
void describe(const CameraPath*, See&& see) {
  using value::label;
  see("source", &CameraPath::source, label("where it came from").nonRendering());
  see("backWidthMm", &CameraPath::backWidthMm, label("film back, across").within(0.1, 1000).in("mm", 2));
  see("backHeightMm", &CameraPath::backHeightMm, label("film back, down").within(0.1, 1000).in("mm", 2));
  see("centreOffsetPx", &CameraPath::centreOffsetPx, label("optical centre").in("px", 1));
  see("focalMm", &CameraPath::focalMm, label("focal length").within(0, 10000).in("mm", 2).by(0.1));
  see("readout", &CameraPath::readout, label("readout of the shutter").within(-1, 1).shown(100, "% of a frame").by(5));
  see("poses", &CameraPath::poses, label("poses"));
}

/// What is wrong with a path, a sentence each: not a number, a rotation that is not one, focal length or film back not
/// positive.
std::vector<std::string> problemsOf(const CameraPath& path);

}  // namespace zentil::camera
