#include "core/camera/rolling_shutter.h"

#include <Eigen/Geometry>
#include <vector>

namespace zentil::camera {
namespace {

/// The turn vector of a rotation.
Vec3 vectorOf(const Mat3& turn) {
  const Eigen::AngleAxisd a(turn);
  return a.angle() * a.axis();
}

/// The spline through values at times, about the one at time 0 (which is `own`), whose value is zero.
RollingShutter::Way splineAbout(const std::vector<double>& times, const std::vector<Vec3>& values, size_t own) {
  const size_t n = times.size();
  RollingShutter::Way out;
  if (n < 2) return out;
  const auto step = [&](size_t i) { return times[i + 1] - times[i]; };
  const auto slope = [&](size_t i) { return Vec3((values[i + 1] - values[i]) / step(i)); };
  // Second derivatives m: step(i-1) m[i-1] + 2 (step(i-1) + step(i)) m[i] + step(i) m[i+1] = 6 (slope(i) - slope(i-1));
  // at either end m is its neighbour's. Forwards by elimination, m[i] = gone[i] - keeps[i] m[i+1], then back.
  std::vector<double> keeps(n, 0);
  std::vector<Vec3> gone(n, Vec3::Zero()), m(n, Vec3::Zero());
  if (n > 2) {
    keeps[0] = -1;
    for (size_t i = 1; i + 1 < n; ++i) {
      const double a = step(i - 1), b = step(i), pivot = 2 * (a + b) - a * keeps[i - 1];
      keeps[i] = b / pivot;
      gone[i] = (6 * (slope(i) - slope(i - 1)) - a * gone[i - 1]) / pivot;
    }
    m[n - 1] = gone[n - 2] / (1 + keeps[n - 2]);
    for (size_t i = n - 1; i-- > 0;) m[i] = gone[i] - keeps[i] * m[i + 1];
  }
  const bool last = own + 1 == n;
  const size_t i = last ? own - 1 : own;  // the piece whose end says the slope
  out.first = last ? Vec3(slope(i) + step(i) * (m[i] + 2 * m[i + 1]) / 6)
                   : Vec3(slope(i) - step(i) * (2 * m[i] + m[i + 1]) / 6);
  out.second = m[own] / 2;
  if (own > 0) out.before = (m[own] - m[own - 1]) / (6 * step(own - 1));
  if (!last) out.after = (m[own + 1] - m[own]) / (6 * step(own));
  return out;
}

}  // namespace

Mat3 RollingShutter::turnAt(double late) const {
  const Vec3 v = turn.at(late);
  const double angle = v.norm();
  return angle < 1e-15 ? Mat3::Identity() : Mat3(Eigen::AngleAxisd(angle, v / angle));
}

RollingShutter rollThrough(std::span<const Stand> stands) {
  size_t own = 0;
  while (own < stands.size() && stands[own].away != 0) ++own;
  if (own == stands.size()) return {};
  std::vector<double> times;
  std::vector<Vec3> turns, places;
  for (const Stand& s : stands) {
    times.push_back(s.away);
    turns.push_back(vectorOf(s.turn * stands[own].turn.transpose()));
    places.emplace_back(s.centre - stands[own].centre);
  }
  return {splineAbout(times, turns, own), splineAbout(times, places, own)};
}

RollingShutter rollOf(const CameraPath& path, int frame) {
  std::vector<Stand> stands;
  for (auto it = path.poses.lower_bound(frame - kRollReach); it != path.poses.end() && it->first <= frame + kRollReach;
       ++it)
    stands.push_back({it->second.rotation.transpose(), it->second.position, static_cast<double>(it->first - frame)});
  return rollThrough(stands);
}

Camera reading(const CameraPath& path, int frame, double row, int width, int height) {
  Camera c = path.at(frame, width, height);
  if (path.readout == 0) return c;
  const RollingShutter roll = rollOf(path, frame);
  const double late = rowTimeOffset(row, path.readout, height);
  c.rotation = c.rotation * roll.turnAt(late).transpose();
  c.position += roll.wayAt(late);
  return c;
}

}  // namespace zentil::camera
