#include "core/solve/object.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/base/error.h"
#include "core/base/median.h"

namespace zentil::solve {
namespace {

using track::Track;

constexpr double kStaysPx = 0.35;  // RMS about its mean: features are found to about that (common practice, no source)
constexpr double kMovesPx = 2;
constexpr size_t kEnoughStill = 12;
constexpr double kAllOver = 0.15;  // of the frame, inside the outermost of those that stay
constexpr int kLong = 30;          // frames: shorter tracks stay before a camera that creeps, too
constexpr int kOnEveryFrame = 5;   // of those that stay, at the least
constexpr double kNoMovePx = 0.6;  // what those that stay share, added up over the range; tracks wander by as much

/// How far its places lie from their mean, RMS; and how many there are within the range.
std::pair<double, int> spreadOf(const Track& t, const FrameRange& range) {
  Vec2 sum = Vec2::Zero();
  double squares = 0;
  int n = 0;
  for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
    if (t.has(f)) sum += t.where(f), ++n;
  if (n == 0) return {0, 0};
  const Vec2 mean = sum / n;
  for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
    if (t.has(f)) squares += (t.where(f) - mean).squaredNorm();
  return {std::sqrt(squares / n), n};
}

double between(std::vector<double> v, double part) {
  const auto k = v.begin() + static_cast<long>(part * static_cast<double>(v.size() - 1));
  std::nth_element(v.begin(), k, v.end());
  return *k;
}

/// A box along some axes that holds all but a few of the points.
struct Crate {
  Mat3 axes = Mat3::Identity();
  Vec3 lo = Vec3::Zero(), hi = Vec3::Zero();
};
Crate crateAlong(const Mat3& axes, const std::vector<Vec3>& points) {
  Crate out;
  out.axes = axes;
  std::vector<double> v(points.size());
  for (int k = 0; k < 3; ++k) {
    for (size_t i = 0; i < points.size(); ++i) v[i] = axes.col(k).dot(points[i]);
    out.lo[k] = between(v, 0.02), out.hi[k] = between(v, 0.98);
  }
  return out;
}
/// How far points lie from its nearest side, in the mean; far ones count no more than a tenth of its size.
double besideOf(const Crate& c, const std::vector<Vec3>& points) {
  const double most = 0.1 * (c.hi - c.lo).maxCoeff();
  double sum = 0;
  for (const Vec3& p : points) {
    const Vec3 q = c.axes.transpose() * p;
    sum += std::min({most, (q - c.lo).cwiseAbs().minCoeff(), (q - c.hi).cwiseAbs().minCoeff()});
  }
  return sum / static_cast<double>(points.size());
}
/// The box whose sides the points lie nearest to: from many turns, downhill by ever smaller steps.
Crate crateAround(std::vector<Vec3> points) {
  constexpr size_t kMost = 400;
  const Crate plain = crateAlong(Mat3::Identity(), points);
  if (points.size() > kMost) {
    std::vector<Vec3> some;
    for (size_t i = 0; i < kMost; ++i) some.push_back(points[i * points.size() / kMost]);
    points = std::move(some);
  }
  std::mt19937 random(1);
  std::normal_distribution<double> any(0, 1);
  Crate best = plain;
  double least = besideOf(best, points);
  for (int start = 0; start < 40; ++start) {
    Mat3 axes = Mat3::Identity();
    if (start) axes = Eigen::Quaterniond(any(random), any(random), any(random), any(random)).normalized();
    Crate here = crateAlong(axes, points);
    double cost = besideOf(here, points);
    for (double step = 0.3; step > 1e-4;) {
      bool better = false;
      for (int k = 0; k < 6; ++k) {
        const Mat3 turn = Eigen::AngleAxisd(k % 2 ? step : -step, Vec3::Unit(k / 2)).toRotationMatrix();
        const Crate next = crateAlong(here.axes * turn, points);
        if (const double c = besideOf(next, points); c < cost) here = next, cost = c, better = true;
      }
      if (!better) step /= 2;
    }
    if (cost < least) best = here, least = cost;
  }
  // Of the 24 ways to name a box's sides, the one turned least.
  Mat3 named = best.axes;
  double most = -4;
  for (const auto& [x, y, z] : {std::array{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}})
    for (int signs = 0; signs < 8; ++signs) {
      Mat3 m;
      m << (signs & 1 ? -1 : 1) * best.axes.col(x), (signs & 2 ? -1 : 1) * best.axes.col(y),
          (signs & 4 ? -1 : 1) * best.axes.col(z);
      if (m.determinant() > 0 && m.trace() > most) most = m.trace(), named = m;
    }
  return crateAlong(named, points);
}

}  // namespace

Standing standingOf(const track::Tracks& tracks, const FrameRange& range, int width, int height) {
  Standing out;
  std::vector<cv::Point2f> places;
  std::vector<const Track*> stay;
  for (const Track& t : tracks) {
    if (!t.on) continue;
    const auto [spread, n] = spreadOf(t, range);
    if (n >= std::min(kLong, std::max(8, range.count() / 3)) && spread <= kStaysPx) {
      out.still.push_back(t.id);
      stay.push_back(&t);
      const Vec2 at = t.where(std::max(t.first, range.first));
      if (at.allFinite()) places.emplace_back(static_cast<float>(at.x()), static_cast<float>(at.y()));
    } else if (n >= 4 && spread > kMovesPx) {
      out.moving.push_back(t.id);
    }
  }
  if (out.still.size() < kEnoughStill || places.size() < 3) return out;
  std::vector<cv::Point2f> hull;
  cv::convexHull(places, hull);
  if (!(cv::contourArea(hull) > kAllOver * width * height)) return out;
  // From frame to frame: how many stay, and how they move together.
  Vec2 moved = Vec2::Zero();
  double farthest = 0;
  for (int f = range.first; f <= range.last; ++f) {
    int here = 0;
    std::vector<double> x, y;
    for (const Track* t : stay) {
      if (!t->has(f)) continue;
      ++here;
      if (t->has(f + 1))
        x.push_back(t->where(f + 1).x() - t->where(f).x()), y.push_back(t->where(f + 1).y() - t->where(f).y());
    }
    if (here < kOnEveryFrame) return out;
    if (!x.empty()) moved += Vec2(medianOf(x), medianOf(y));
    farthest = std::max(farthest, moved.norm());
  }
  out.told = farthest < kNoMovePx;
  return out;
}

bool couldTravel(const track::Tracks& tracks, const Standing& standing, const FrameRange& range) {
  if (standing.moving.size() < kEnoughForAnObject) return false;
  constexpr int kPairs = 8, kTries = 200;
  constexpr double kAlongPx = 1, kMost = 0.7;  // that far from its line, so many of those that move
  std::vector<int> ids = standing.moving;
  std::sort(ids.begin(), ids.end());
  std::mt19937 random(1);
  std::vector<double> shares;
  for (int k = 0; k < kPairs; ++k) {
    const int hop = std::max(2, range.count() / kPairs), a = range.first + k * hop, b = std::min(range.last, a + hop);
    std::vector<std::pair<Vec2, Vec2>> ways;
    for (const Track& t : tracks)
      if (t.on && t.has(a) && t.has(b) && std::binary_search(ids.begin(), ids.end(), t.id) &&
          (t.where(b) - t.where(a)).norm() > kMovesPx)
        ways.emplace_back(t.where(a), t.where(b));
    if (ways.size() < 8) continue;
    size_t most = 0;
    for (int n = 0; n < kTries; ++n) {
      std::uniform_int_distribution<size_t> pick(0, ways.size() - 1);
      const auto line = [](const std::pair<Vec2, Vec2>& w) {
        return Vec3(w.first.homogeneous().cross(w.second.homogeneous()));
      };
      const Vec3 focus = line(ways[pick(random)]).cross(line(ways[pick(random)]));
      if (!(focus.norm() > 0)) continue;
      size_t along = 0;
      for (const auto& [from, to] : ways) {
        const Vec3 own = focus.cross(from.homogeneous());
        const double length = own.head<2>().norm();
        along += length > 0 && std::abs(own.dot(to.homogeneous())) / length < kAlongPx;
      }
      most = std::max(most, along);
    }
    shares.push_back(static_cast<double>(most) / static_cast<double>(ways.size()));
  }
  return !shares.empty() && medianOf(shares) > kMost;
}

bool stands(const Standing& standing, const Errors& errors) {
  if (!standing.told) return false;
  const auto going = [&](std::vector<int> ids) {
    std::sort(ids.begin(), ids.end());
    double n = 0;
    for (const auto& e : errors.tracks)
      n += (e.verdict == Verdict::Moves || e.verdict == Verdict::Slides) &&
           std::binary_search(ids.begin(), ids.end(), e.id);
    return n / static_cast<double>(ids.size());
  };
  return going(standing.still) > 0.5 || going(standing.moving) > 0.5;
}

void saysItStands(const Standing& standing) {
  throw StandsStill(fmt::format("the camera is static: {} tracks all over the picture stay where they are, and {} move",
                                standing.still.size(), standing.moving.size()),
                    standing.moving.size() >= kEnoughForAnObject
                        ? "Use Static camera, or solve the moving thing as an object"
                        : "Use Static camera");
}

ObjectAnswer solveObject(const track::Tracks& given, const FrameRange& range, int width, int height,
                         const camera::CameraPath& camera, const lens::Lens& lens, const ObjectSettings& q,
                         const Job& job) {
  const bool zooms = std::any_of(camera.poses.begin(), camera.poses.end(), [&](const auto& p) {
    return std::abs(p.second.focalMm - camera.poses.begin()->second.focalMm) > 1e-6;
  });
  if (zooms || !lens.keys.empty())
    throw Error("the camera zooms, or its lens changes: a thing before it is not solved yet",
                "Choose a range in which it does not");
  std::vector<int> wanted = q.tracks.empty() ? standingOf(given, range, width, height).moving : q.tracks;
  std::sort(wanted.begin(), wanted.end());
  ObjectAnswer out;
  track::Tracks tracks;
  for (const Track& t : given)
    if (t.on && std::binary_search(wanted.begin(), wanted.end(), t.id)) tracks.push_back(t);
  if (tracks.size() < kEnoughForAnObject)
    throw Error(fmt::format("{} tracks are on it: too few to solve a move from", tracks.size()),
                "Track inside a matte around it, with more features");
  SolveSettings ask;
  ask.kind = Kind::Free;
  ask.focal = camera.poses.empty() ? q.focal : Focal::Known;
  ask.k1 = ask.k2 = ask.centre = false;
  const SolveAnswer seen = solve(tracks, range, width, height, camera, lens, ask, job);
  for (const auto& e : seen.errors.tracks) out.used += e.used();
  out.of = seen.errors.tracks.size();
  out.rmsPx = seen.errors.rmsPx;
  for (const auto& r : seen.errors.remarks)
    if (r.find("only turns") != std::string::npos || r.find("focal length") != std::string::npos)
      out.remarks.push_back(r);
  // Before which camera.
  out.camera = camera;
  if (camera.poses.empty()) {
    out.camera.focalMm = seen.camera.focalAt(range.first);
    for (int f = range.first; f <= range.last; ++f)
      out.camera.poses[f] = {Vec3::Zero(), Mat3::Identity(), out.camera.focalMm};
    out.camera.source = "an object's solve: it is static";
  }
  std::vector<int> frames;
  for (const auto& [f, pose] : seen.camera.poses)
    if (out.camera.has(f)) frames.push_back(f);
  if (frames.empty() || seen.points.empty())
    throw Error("no frame has both the thing and a camera", "Solve the camera over the same range");
  std::vector<double> middle[3];
  for (const auto& p : seen.points)
    for (int k = 0; k < 3; ++k) middle[k].push_back(p.at[k]);
  const Vec3 about(medianOf(middle[0]), medianOf(middle[1]), medianOf(middle[2]));
  const auto turnAt = [&](int f) -> Mat3 {
    return out.camera.poses.at(f).rotation * seen.camera.poses.at(f).rotation.transpose();
  };
  const Mat3 own = turnAt(frames.front());  // from the solve's axes to the thing's
  const double size = q.distanceM / (about - seen.camera.poses.at(frames.front()).position).norm();
  for (const auto& p : seen.points) out.points.push_back(size * (own * (p.at - about)));
  const Crate crate = crateAround(out.points);
  out.size = (crate.hi - crate.lo).cwiseMax(0.02 * (crate.hi - crate.lo).maxCoeff());
  const Vec3 inCrate = (crate.lo + crate.hi) / 2;
  for (auto& p : out.points) p = crate.axes.transpose() * p - inCrate;
  for (const int f : frames) {
    const auto& eye = seen.camera.poses.at(f);
    const Mat3 turn = turnAt(f);
    ObjectAnswer::Place place;
    place.turn = turn * own.transpose() * crate.axes;
    place.position = out.camera.poses.at(f).position + size * (turn * (about - eye.position)) + place.turn * inCrate;
    out.places[f] = place;
  }
  return out;
}

}  // namespace zentil::solve
