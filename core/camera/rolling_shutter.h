#pragma once
#include <algorithm>
#include <cmath>
#include <span>

#include "core/camera/camera.h"

namespace zentil::camera {

/// How a camera goes on within a frame whose rows are read one after the other (a rolling shutter). It stands in its
/// pose when the middle row is read; `late` is the time since then, in frames. It goes along the cubic spline through
/// its poses on this frame and those around it.
struct RollingShutter {
  /// A move as a sum of powers of time; the third is another before the pose than after it.
  struct Way {
    Vec3 first = Vec3::Zero(), second = Vec3::Zero(), before = Vec3::Zero(), after = Vec3::Zero();
    Vec3 at(double late) const { return late * (first + late * (second + late * (late < 0 ? before : after))); }
    Vec3 speed(double late) const { return first + late * (2 * second + 3 * late * (late < 0 ? before : after)); }
    bool operator==(const Way&) const = default;
  };
  Way turn;   ///< about its own axes, radians
  Way place;  ///< in the world

  /// Takes what is seen in the pose's axes to what is seen then.
  Mat3 turnAt(double late) const;
  Vec3 wayAt(double late) const { return place.at(late); }
  bool operator==(const RollingShutter&) const = default;
};

/// A pose: `turn` takes world directions to the camera's, `centre` is where it stands, `away` on how many frames after
/// the one that is asked about.
struct Stand {
  Mat3 turn;
  Vec3 centre;
  double away = 0;
};

/// Through poses in the order of their frames, of which one is away by 0; those beyond a few frames change little. Of
/// one pose alone nothing is known: it stands. The spline's outermost pieces are parabolas (de Boor 1978, A Practical
/// Guide to Splines, chapter IV, for the equations).
RollingShutter rollThrough(std::span<const Stand> stands);
constexpr int kRollReach = 4;  ///< frames to each side that are worth giving

/// Of a path's pose.
RollingShutter rollOf(const CameraPath& path, int frame);

/// When a row is read: frames after the middle one of `rows`.
inline double rowTimeOffset(double row, double readout, double rows) { return readout * (row / rows - 0.5); }

/// Where something lands that is seen when the row on which it lands is read: `lands(late, at)` says where it would be
/// seen then, false where nowhere. Each round leaves of the error what it moves down the picture while the next row is
/// read. What lands beyond the frame is taken to be seen within twice its reading.
template <typename Lands>
bool landWhenRead(double readout, double rows, const Lands& lands, Vec2& at, double& late) {
  constexpr int kRounds = 12;
  constexpr double kEnough = 1e-9;  // frames
  late = 0;
  for (int round = 0; round < kRounds; ++round) {
    if (!lands(late, at)) return false;
    const double next = std::clamp(rowTimeOffset(at.y(), readout, rows), -std::abs(readout), std::abs(readout));
    const bool settled = std::abs(next - late) < kEnough;
    late = next;
    if (settled) break;
  }
  return true;
}

/// The camera as it stands when a row of the plate is read; the pose's where the path is read at once.
Camera reading(const CameraPath& path, int frame, double row, int width, int height);

}  // namespace zentil::camera
