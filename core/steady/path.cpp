#include "core/steady/path.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/error.h"
#include "core/set/spot_look.h"
#include "core/steady/look.h"
#include "core/steady/runs.h"

namespace zentil::steady {
namespace {

using camera::Camera;
using shot::Hold;

/// The same sight, with the horizon level.
Mat3 levelled(const Mat3& r) {
  const Vec3 back = r.col(2);
  const Vec3 right = Vec3::UnitY().cross(back);
  if (right.norm() < 1e-6) return r;  // straight up or down there is no horizon
  Mat3 out;
  out.col(0) = right.normalized(), out.col(2) = back, out.col(1) = back.cross(out.col(0));
  return out;
}

/// Each turn averaged with those around it, the nearer the more (quaternions of one sign, averaged and brought back to
/// length one: Gramkow 2001, On Averaging Rotations).
std::map<int, Mat3> smoothed(const std::map<int, Mat3>& turns, double frames) {
  std::map<int, Mat3> out;
  const double sigma = std::max(0.25, frames / 2);
  for (const auto& [f, r] : turns) {
    const Eigen::Quaterniond own(r);
    Eigen::Vector4d sum = Eigen::Vector4d::Zero();
    // The same number of frames on both sides, so that a steady turn stays one up to the ends.
    const int reach =
        std::min({static_cast<int>(std::ceil(3 * sigma)), f - turns.begin()->first, turns.rbegin()->first - f});
    for (int k = -reach; k <= reach; ++k) {
      const auto it = turns.find(f + k);
      if (it == turns.end()) continue;
      Eigen::Quaterniond q(it->second);
      if (q.dot(own) < 0) q.coeffs() *= -1;
      sum += std::exp(-k * k / (2 * sigma * sigma)) * q.coeffs();
    }
    out[f] = Eigen::Quaterniond(sum.normalized()).toRotationMatrix();
  }
  return out;
}

bool holdsSpot(Hold h) { return h == Hold::Place || h == Hold::PlaceTurn || h == Hold::PlaceTurnScale; }

bool look(const Camera& c, const set::Spot& spot, set::SpotLook& out) {
  return set::lookAt(
      spot, [&](const Vec3& p, Vec2& at) { return c.project(p, at); }, out);
}

/// Turns a camera so that the spot is seen as in `wanted`, as far as `hold` asks.
void holdSpot(Camera& c, const set::Spot& spot, const set::SpotLook& wanted, Hold hold, int frame) {
  for (int round = 0; round < 8; ++round) {
    set::SpotLook now;
    if (!look(c, spot, now))
      throw Error(fmt::format("\"{}\" is behind the camera on frame {}", spot.name, frame),
                  "Shorten the shot's range, or hold another");
    auto change = set::changeOf(wanted, now);
    const Vec3 sight = (spot.position - c.position).normalized();
    // A picture that has turned clockwise is put back by a camera that turns along: clockwise as it sees it.
    if (hold != Hold::Place) c.rotation = Eigen::AngleAxisd(change.turn, sight).toRotationMatrix() * c.rotation;
    if (hold == Hold::PlaceTurnScale) c.fx /= change.scale, c.fy /= change.scale;
    const Vec3 now3 = c.cast(wanted.at);
    c.rotation = Eigen::Quaterniond::FromTwoVectors(now3, sight).toRotationMatrix() * c.rotation;
    look(c, spot, now);
    change = set::changeOf(wanted, now);
    const bool turned = hold == Hold::Place || std::abs(change.turn) < 1e-10;
    const bool sized = hold != Hold::PlaceTurnScale || std::abs(change.scale - 1) < 1e-10;
    if ((now.at - wanted.at).norm() < 1e-9 && turned && sized) return;
  }
}

}  // namespace

bool toPlate(const shot::Shot& s, const Path& path, int frame, const Vec2& steady, Vec2& plate) {
  return lookAt(s, path, frame).toPlate(steady, plate);
}

bool fromPlate(const shot::Shot& s, const Path& path, int frame, const Vec2& plate, Vec2& steady) {
  return lookAt(s, path, frame).fromPlate(plate, steady);
}

double leastEnlargement(const shot::Shot& s, const Path& path) {
  constexpr double kMost = 8;
  constexpr int kSteps = 24;
  const Vec2 size(s.width, s.height), middle = size / 2;
  double needed = 1;
  for (const auto& [f, c] : path.looks) {
    const Look look = lookAt(s, path, f);
    const auto shows = [&](double by) {
      for (int k = 0; k < 4 * kSteps; ++k) {
        const double t = static_cast<double>(k % kSteps) / kSteps;
        const Vec2 edge = k < kSteps       ? Vec2(t, 0)
                          : k < 2 * kSteps ? Vec2(1, t)
                          : k < 3 * kSteps ? Vec2(1 - t, 1)
                                           : Vec2(0, 1 - t);
        Vec2 plate;
        if (!look.toPlate(middle + (edge.cwiseProduct(size) - middle) / by, plate)) return false;
        // A filter reads half a pixel beyond the last one's middle.
        if (plate.x() < 0 || plate.y() < 0 || plate.x() > size.x() || plate.y() > size.y()) return false;
      }
      return true;
    };
    if (shows(needed)) continue;
    if (!shows(kMost)) return kMost * 1.01;
    double low = needed, high = kMost;
    for (int i = 0; i < 40; ++i) {
      const double mid = (low + high) / 2;
      (shows(mid) ? high : low) = mid;
    }
    needed = high;
  }
  return needed;
}

Path pathOf(const shot::Shot& s) {
  const auto& want = s.steady;
  if (s.camera->empty())
    throw Error("the shot has no camera to steady it by",
                s.projection == shot::Projection::Sphere ? "Find how it turns, at Camera" : "Load one, or solve it");
  const bool sphere = s.projection == shot::Projection::Sphere;
  if (sphere && holdsSpot(want.hold))
    throw Error("a sphere is steadied by its turn alone: no spot is held on it",
                "Hold the camera's turn, or smooth it");
  if (sphere && want.hold == Hold::Runs)
    throw Error("runs keep the picture's edge within the plate, and a sphere has none", "Smooth the camera's turn");
  Path out;
  std::map<int, Mat3> turns;
  for (const auto& [f, pose] : s.camera->poses)
    if (s.range.contains(f)) turns[f] = pose.rotation;
  if (turns.empty()) throw Error("the camera has no pose within the shot's frames", "Change the shot's range");
  const int reference = turns.count(want.reference) ? want.reference : turns.begin()->first;
  if (want.hold == Hold::Smooth) turns = smoothed(turns, want.smoothFrames);
  if (want.hold == Hold::Runs) turns = inRuns(s, turns);
  if (want.hold == Hold::Rotation) {
    const Mat3 still = turns.at(reference);
    for (auto& [f, r] : turns) r = still;
  }
  if (want.level)
    for (auto& [f, r] : turns) r = levelled(r);
  for (const auto& [f, r] : turns) {
    out.looks[f] = s.cameraAt(f);
    out.looks[f].rotation = r;
  }
  if (holdsSpot(want.hold)) {
    const auto* spot = s.spot(want.spot);
    if (!spot) throw Error("no spot is chosen to be held", "Choose one; spots are made at Set");
    set::SpotLook wanted;
    if (!look(out.looks.at(reference), *spot, wanted))
      throw Error(fmt::format("\"{}\" is behind the camera on frame {}", spot->name, reference),
                  "Steady to another frame");
    for (auto& [f, c] : out.looks) holdSpot(c, *spot, wanted, want.hold, f);
  }
  // What is left of the camera's own turn and focal length where less is asked for.
  for (auto& [f, c] : out.looks) {
    const double strength = want.strength.at(f);
    if (strength >= 1) continue;
    const Camera own = s.cameraAt(f);
    c.rotation = Eigen::Quaterniond(own.rotation).slerp(strength, Eigen::Quaterniond(c.rotation)).toRotationMatrix();
    c.fx = own.fx * std::pow(c.fx / own.fx, strength), c.fy = own.fy * std::pow(c.fy / own.fy, strength);
  }
  if (want.enlarged && !sphere) {
    const double by = leastEnlargement(s, out);
    constexpr double kMost = 8;
    if (by > kMost)
      throw Error("what is held leaves the picture: no enlargement hides the edges",
                  "Shorten the range, smooth instead, or leave the edges transparent");
    out.enlarged = by;
    for (auto& [f, c] : out.looks) c.fx *= by, c.fy *= by;
    // About the middle, not about the optical centre.
    const Vec2 middle(s.width / 2.0, s.height / 2.0);
    for (auto& [f, c] : out.looks) {
      c.cx = middle.x() + by * (c.cx - middle.x());
      c.cy = middle.y() + by * (c.cy - middle.y());
    }
  }
  return out;
}

}  // namespace zentil::steady
