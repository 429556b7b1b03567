#include "core/camera/move.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <array>
#include <cmath>

#include "core/base/error.h"
#include "core/camera/pose_sum.h"

namespace zentil::camera {
namespace {

using Eigen::Quaterniond;

/// The pose at a frame with fractions, by the four around it; before the first and after the last as there.
Pose between(const std::map<int, Pose>& poses, double frame) {
  auto b = poses.upper_bound(static_cast<int>(std::floor(frame)));
  if (b == poses.begin()) return b->second;
  const auto a = std::prev(b);
  if (b == poses.end() || frame <= a->first) return a->second;
  const auto before = a == poses.begin() ? a : std::prev(a);
  const auto after = std::next(b) == poses.end() ? b : std::next(b);
  const double length = b->first - a->first, t = (frame - a->first) / length, tt = t * t, ttt = tt * t;
  // Hermite's cubic; the slope at a key is that between its neighbours (one-sided at the ends).
  const double fromA = ttt - 2 * tt + t, fromB = ttt - tt;
  const double spanA = (b->first - before->first) / length, spanB = (after->first - a->first) / length;
  const Quaterniond like(a->second.rotation);
  PoseSum sum;
  sum.add(a->second, 2 * ttt - 3 * tt + 1 - fromB / spanB, like);
  sum.add(b->second, 3 * tt - 2 * ttt + fromA / spanA, like);
  sum.add(before->second, -fromA / spanA, like);
  sum.add(after->second, fromB / spanB, like);
  return sum.pose();
}

/// How far something has gone whose speed rises as 3t^2 - 2t^3 to 1 over `ease`, and then stays.
double gone(double t, double ease) {
  if (ease <= 0 || t >= ease) return t - ease / 2;
  const double u = std::max(0.0, t / ease);
  return ease * (u * u * u - u * u * u * u / 2);
}

struct Timing {
  double way = 0, in = 0, out = 0;  ///< in frames here
  explicit Timing(const Move& m) : way((m.part.last - m.part.first) / m.speed), in(m.easeIn), out(m.easeOut) {
    // What is eased goes half as far as what is not: both together cannot take more than twice the way.
    if (const double most = 2 * way; in + out > most) {
      const double by = in + out > 0 ? most / (in + out) : 0;
      in *= by, out *= by;
    }
  }
  double lasts() const { return way + (in + out) / 2; }
};

/// The turn about the up axis by which a rotation looks away from -Z.
Mat3 headingOf(const Mat3& r) {
  const Vec3 ahead = -r.col(2);
  if (std::hypot(ahead.x(), ahead.z()) < 1e-9) return Mat3::Identity();
  return Eigen::AngleAxisd(std::atan2(-ahead.x(), -ahead.z()), Vec3::UnitY()).toRotationMatrix();
}

}  // namespace

double lasts(const Move& move) { return Timing(move).lasts(); }

double frameOf(const Move& m, double frame) {
  const Timing timing(m);
  const double t = frame - m.at, all = timing.lasts();
  if (t <= 0) return m.part.first;
  if (t >= all) return m.part.last;
  const double left = all - t;
  const double way = left < timing.out ? timing.way - gone(left, timing.out) : gone(t, timing.in);
  return m.part.first + way * m.speed;
}

CameraPath moved(const Move& m, const FrameRange& frames) {
  if (!m.of) throw Error("no move is used", "Take one from another shot, or from a camera's file");
  std::map<int, Pose> own;
  for (const auto& [f, pose] : m.of->poses)
    if (m.part.contains(f)) own[f] = pose;
  if (own.empty())
    throw Error(fmt::format("the move has no pose in {} to {}", m.part.first, m.part.last),
                fmt::format("It has frames {} to {}", m.of->range().first, m.of->range().last));
  own = smoothed(own, m.smoothFrames);
  const Pose first = own.begin()->second;
  const bool middle = m.begins == Begins::AtMiddle;
  const Vec3 from = middle ? first.position : Vec3(Vec3::Zero());
  Mat3 turn = Eigen::AngleAxisd(m.turnDegrees * M_PI / 180, Vec3::UnitY()).toRotationMatrix();
  if (middle) turn = turn * headingOf(first.rotation).transpose();
  CameraPath out = *m.of;
  out.poses.clear();
  out.source = "the move of " + m.name;
  for (int f = frames.first; f <= frames.last; ++f) {
    Pose p = between(own, frameOf(m, f));
    p.position = m.position + m.scale * (turn * (p.position - from));
    p.rotation = turn * p.rotation;
    out.poses[f] = p;
  }
  return out;
}

}  // namespace zentil::camera
