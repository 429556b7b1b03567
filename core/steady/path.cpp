#include "core/steady/path.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/camera/pose_sum.h"
#include "core/set/form.h"
#include "core/set/spot_look.h"
#include "core/steady/l1_path.h"
#include "core/steady/views.h"

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

/// Of a sphere, whose picture leans both ways: upright, looking where it looked. What looks straight up or down looks
/// where its right hand says.
Mat3 upright(const Mat3& r) {
  const Vec3 up = Vec3::UnitY(), back(r(0, 2), 0, r(2, 2)), right(r(0, 0), 0, r(2, 0));
  Mat3 out;
  out.col(1) = up;
  if (back.norm() >= right.norm() / 2)
    out.col(2) = back.normalized(), out.col(0) = up.cross(out.col(2));
  else
    out.col(0) = right.normalized(), out.col(2) = out.col(0).cross(up);
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
    const Vec3 now3 = c.unproject(wanted.at);
    c.rotation = rotationFromTo(now3, sight) * c.rotation;
    look(c, spot, now);
    change = set::changeOf(wanted, now);
    const bool turned = hold == Hold::Place || std::abs(change.turn) < 1e-10;
    const bool sized = hold != Hold::PlaceTurnScale || std::abs(change.scale - 1) < 1e-10;
    if ((now.at - wanted.at).norm() < 1e-9 && turned && sized) return;
  }
}

}  // namespace

bool toPlate(const shot::Shot& s, const Path& path, int frame, const Vec2& steady, Vec2& plate) {
  return steadiedView(s, path, frame).toPlate(steady, plate);
}

bool fromPlate(const shot::Shot& s, const Path& path, int frame, const Vec2& plate, Vec2& steady) {
  return steadiedView(s, path, frame).fromPlate(plate, steady);
}

namespace {

constexpr double kMostEnlarged = 8;

Vec2 middleOf(const Box& box) { return Vec2(box.x0 + box.x1, box.y0 + box.y1) / 2; }

/// The least enlargement of a look about a place with which it shows no edge within the crop, no less than `least`.
double enlargementOf(const view::OutputView& look, const Vec2& size, const Box& crop, const Vec2& about, double least) {
  const Vec2 from(crop.x0, crop.y0), cropped(crop.width(), crop.height());
  constexpr int kSteps = 24;
  // True where nothing beyond the plate is seen.
  const auto hides = [&](double by) {
    for (int k = 0; k < 4 * kSteps; ++k) {
      const double t = static_cast<double>(k % kSteps) / kSteps;
      const Vec2 edge = k < kSteps       ? Vec2(t, 0)
                        : k < 2 * kSteps ? Vec2(1, t)
                        : k < 3 * kSteps ? Vec2(1 - t, 1)
                                         : Vec2(0, 1 - t);
      Vec2 plate;
      if (!look.toPlate(about + (from + edge.cwiseProduct(cropped) - about) / by, plate)) return false;
      // A filter reads half a pixel beyond the last one's middle.
      if (plate.x() < 0 || plate.y() < 0 || plate.x() > size.x() || plate.y() > size.y()) return false;
    }
    return true;
  };
  if (hides(least)) return least;
  if (!hides(kMostEnlarged)) return kMostEnlarged * 1.01;
  double low = least, high = kMostEnlarged;
  for (int i = 0; i < 40; ++i) {
    const double mid = (low + high) / 2;
    (hides(mid) ? high : low) = mid;
  }
  return high;
}

/// What a path shows, enlarged by so much about a place.
void enlarge(Path& path, int frame, double by, const Vec2& about) {
  auto& c = path.looks.at(frame);
  c.fx *= by, c.fy *= by;
  c.cx = about.x() + by * (c.cx - about.x()), c.cy = about.y() + by * (c.cy - about.y());
  if (const auto it = path.through.find(frame); it != path.through.end()) {
    Mat3 back = Mat3::Identity() / by;
    back(2, 2) = 1, back.topRightCorner<2, 1>() = about - about / by;
    it->second = it->second * back;
  }
}

/// At least as much on every frame, and changing evenly: the most within so many frames to each side, averaged over as
/// many.
std::map<int, double> dynamicZoom(const std::map<int, double>& least, double frames) {
  const int reach = std::max(1, static_cast<int>(std::lround(frames)));
  const auto around = [&](const std::map<int, double>& of, const auto& take) {
    std::map<int, double> out;
    for (const auto& [f, own] : of)
      for (auto it = of.lower_bound(f - reach); it != of.end() && it->first <= f + reach; ++it)
        take(out[f], it->second, std::abs(it->first - f));
    return out;
  };
  const auto most = around(least, [](double& out, double v, int) { out = std::max(out, v); });
  auto out = around(most, [&](double& sum, double v, int off) { sum += v * (reach + 1 - off); });
  auto sums = around(most, [&](double& sum, double, int off) { sum += reach + 1 - off; });
  for (auto& [f, v] : out) v /= sums.at(f);
  return out;
}

/// Where a plane is held: what takes the picture of a camera that stays where it was on the reference's frame to
/// directions from where each frame's camera stands, by way of the plane. Hartley and Zisserman 2004, Multiple View
/// Geometry, 13.1: the homography that a plane induces.
void holdPlane(const shot::Shot& s, Path& path, int reference) {
  const auto* moving = s.surface(s.steady.surface);
  if (!moving) throw Error("no plane is chosen to be held", "Choose a surface; they are made at Set");
  const auto still = moving->at(reference);
  if (!set::formOf(still.kind).isFlat())
    throw Error(fmt::format("\"{}\" is not flat: its corners do not stay by one perspective", moving->name),
                "Hold a plane, or a spot");
  // Seen flatter than this, a pixel beside is metres away.
  constexpr double kFlattest = 0.03;
  const auto seenAt = [&](const set::Surface& plane, const Vec3& from, int f) {
    const Vec3 to = plane.position - from;
    const double away = plane.normal().dot(to);
    if (std::abs(away) < kFlattest * to.norm())
      throw Error(fmt::format("\"{}\" is seen edge on on frame {}", moving->name, f),
                  "Shorten the shot's range, or hold another");
    return away;
  };
  const Camera base = path.looks.at(reference);
  for (const auto& [f, look] : path.looks) {
    const Camera own = s.cameraAt(f);
    const auto plane = moving->at(f);
    seenAt(plane, own.position, f);
    // How the surface went from the reference's frame to this one: place and turn.
    const Mat3 went = plane.turn * still.turn.transpose();
    const double strength = s.steady.strength.at(f);
    Camera eye = base;
    eye.position = own.position + strength * (base.position - own.position);
    eye.rotation =
        Eigen::Quaterniond(own.rotation).slerp(strength, Eigen::Quaterniond(base.rotation)).toRotationMatrix();
    eye.fx = own.fx * std::pow(base.fx / own.fx, strength), eye.fy = own.fy * std::pow(base.fy / own.fy, strength);
    // Less than held, the surface is where it is on this frame; what it went is then held as far.
    const Mat3 part = Eigen::Quaterniond::Identity().slerp(strength, Eigen::Quaterniond(went)).toRotationMatrix();
    const Vec3 from = still.position + (1 - strength) * (plane.position - still.position);
    set::Surface seen = still;
    seen.position = from, seen.turn = part.transpose() * plane.turn;
    const double away = seenAt(seen, eye.position, f);
    // A direction d of the eye meets the plane at eye + d * away / (normal . d); seen from this frame's camera, and
    // multiplied by (normal . d) / away, that is linear in d.
    const Vec3 across = part * (eye.position - seen.position) + plane.position - own.position;
    const Mat3 linear = part + across * seen.normal().transpose() / away;
    Mat3 k = Mat3::Identity();
    k << 1 / eye.fx, 0, -eye.cx / eye.fx, 0, -1 / eye.fy, eye.cy / eye.fy, 0, 0, -1;
    path.through[f] = linear * eye.rotation * k;
  }
}

}  // namespace

std::map<int, double> leastEnlargements(const shot::Shot& s, const Path& path, const Vec2& about) {
  std::map<int, double> out;
  const Box crop = shot::cropOf(s.steady, s.width, s.height);
  for (const auto& [f, c] : path.looks)
    out[f] = enlargementOf(steadiedView(s, path, f), Vec2(s.width, s.height), crop, about, 1);
  return out;
}

double leastEnlargement(const shot::Shot& s, const Path& path) {
  const Box crop = shot::cropOf(s.steady, s.width, s.height);
  double needed = 1;
  for (const auto& [f, c] : path.looks)
    needed = enlargementOf(steadiedView(s, path, f), Vec2(s.width, s.height), crop, middleOf(crop), needed);
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
  if (sphere && want.hold == Hold::Plane)
    throw Error("a sphere is steadied by its turn alone: no plane is held on it",
                "Hold the camera's turn, or smooth it");
  if (sphere && want.hold == Hold::L1Path)
    throw Error("runs keep the picture's edge within the plate, and a sphere has none", "Smooth the camera's turn");
  Path out;
  std::map<int, Mat3> turns;
  std::map<int, camera::Pose> poses;
  for (const auto& [f, pose] : s.camera->poses)
    if (s.range.contains(f)) poses[f] = pose, turns[f] = pose.rotation;
  if (turns.empty()) throw Error("the camera has no pose within the shot's frames", "Change the shot's range");
  const int reference = turns.count(want.reference) ? want.reference : turns.begin()->first;
  if (want.hold == Hold::Smooth)
    for (const auto& [f, pose] : camera::smoothed(poses, want.smoothFrames)) turns[f] = pose.rotation;
  if (want.hold == Hold::L1Path) turns = inRuns(s, turns);
  if (want.hold == Hold::Rotation) {
    const Mat3 still = turns.at(reference);
    for (auto& [f, r] : turns) r = still;
  }
  if (want.level)
    for (auto& [f, r] : turns) r = sphere ? upright(r) : levelled(r);
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
  if (want.hold == Hold::Plane) {
    holdPlane(s, out, reference);
  } else {
    // What is left of the camera's own turn and focal length where less is asked for.
    for (auto& [f, c] : out.looks) {
      const double strength = want.strength.at(f);
      if (strength >= 1) continue;
      const Camera own = s.cameraAt(f);
      c.rotation = Eigen::Quaterniond(own.rotation).slerp(strength, Eigen::Quaterniond(c.rotation)).toRotationMatrix();
      c.fx = own.fx * std::pow(c.fx / own.fx, strength), c.fy = own.fy * std::pow(c.fy / own.fy, strength);
    }
  }
  if (want.enlarged && !sphere) {
    // Each frame by its own amount is about the optical centre, so that it stays in one place.
    const Camera& first = out.looks.begin()->second;
    const Vec2 about =
        want.dynamicZoom ? Vec2(first.cx, first.cy) : middleOf(shot::cropOf(s.steady, s.width, s.height));
    auto by = leastEnlargements(s, out, about);
    for (const auto& [f, e] : by) out.enlarged = std::max(out.enlarged, e);
    if (out.enlarged > kMostEnlarged)
      throw Error("the locked place leaves the picture: no zoom hides the edges",
                  "Shorten the range, smooth instead, or leave the edges transparent");
    if (want.dynamicZoom)
      by = dynamicZoom(by, want.smoothFrames);
    else
      for (auto& [f, e] : by) e = out.enlarged;
    for (const auto& [f, e] : by) enlarge(out, f, e, about);
  }
  return out;
}

}  // namespace zentil::steady
