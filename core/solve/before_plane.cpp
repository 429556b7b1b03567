#include "core/solve/before_plane.h"

#include <cmath>
#include <opencv2/calib3d.hpp>

#include "core/base/error.h"
#include "core/solve/planes.h"
#include "core/solve/stages.h"

namespace zentil::solve {
namespace {

using track::Track;

/// How a plane's picture is seen: from the frame that shares most with the others.
struct PlaneSeen {
  int first = 0;
  Intrinsics thought;                ///< that places were made straight by
  std::map<int, Mat3> homographies;  ///< straight pixels from the optical centre
  Vec2 middle = Vec2::Zero();
};

PlaneSeen planeSeen(const SolveProblem& s) {
  constexpr size_t kEnough = 8;
  const View unturned;
  // Coefficients belong to the focal length that they were found with.
  Intrinsics thought = s.inner;
  if (s.q.focal != Focal::Known && s.q.k1) thought.lens.k1 = 0;
  if (s.q.focal != Focal::Known && s.q.k2) thought.lens.k2 = 0;
  // Over the width: what stays on its plane, where the lens is known and where it is not.
  constexpr double kPlaneWidth = 0.002, kBentWidth = 0.006;
  const double within = (s.q.k1 ? kBentWidth : kPlaneWidth) * s.width;
  const auto straight = [&](const Vec2& at) { return Vec2(thought.straight(unturned, at) * thought.f); };
  const auto shared = [&](int a, int b, std::vector<cv::Point2d>& pa, std::vector<cv::Point2d>& pb) {
    for (const Track& t : s.tracks)
      if (t.on && t.has(a) && t.has(b)) {
        const Vec2 from = straight(t.where(a)), to = straight(t.where(b));
        pa.emplace_back(from.x(), from.y()), pb.emplace_back(to.x(), to.y());
      }
    return pa.size();
  };
  PlaneSeen out;
  out.thought = thought;
  constexpr int kFrames = 24;           // that are looked at, at the most
  constexpr size_t kEnoughShared = 40;  // more tracks tie two frames together no better
  const int hop = std::max(1, s.range.count() / kFrames);
  size_t most = 0;
  for (int a = s.range.first; a <= s.range.last; a += hop) {
    s.job.checkpoint();
    size_t links = 0;
    for (int b = s.range.first; b <= s.range.last; b += hop) {
      std::vector<cv::Point2d> pa, pb;
      if (a != b) links += std::min<size_t>(shared(a, b, pa, pb), kEnoughShared);
    }
    if (links > most) most = links, out.first = a;
  }
  double moved = 0;
  for (int b = s.range.first; b <= s.range.last; b += hop) {
    s.job.checkpoint();
    std::vector<cv::Point2d> pa, pb;
    if (b == out.first || shared(out.first, b, pa, pb) < kEnough) continue;
    cv::setRNGSeed(1);
    const cv::Mat h = cv::findHomography(pa, pb, cv::RANSAC, within);
    if (h.empty()) continue;
    for (int y = 0; y < 3; ++y)
      for (int x = 0; x < 3; ++x) out.homographies[b](y, x) = h.at<double>(y, x);
    const cv::Scalar middle = cv::mean(pa);
    out.middle = {middle[0], middle[1]};
    for (size_t i = 0; i < pa.size(); ++i) moved = std::max(moved, cv::norm(pa[i] - pb[i]));
  }
  if (out.homographies.size() < 2)
    throw Error("too few frames see one plane together: eight tracks on it are needed on three frames",
                "Track more on it, or a region, and make tracks of that");
  if (moved < 1)
    throw Error(fmt::format("nothing moves: tracks stay within {:.2f} px", moved),
                "The camera is static; use Static camera instead of solving, or widen the range");
  return out;
}

/// A first world for each way of standing before the plane that its picture allows.
std::vector<Attempt> firstBefore(const SolveProblem& s) {
  if (s.zooming())
    throw Error("in front of one plane, a zoom looks like a move", "Solve one focal length for the shot, or type it");
  const PlaneSeen seen = planeSeen(s);
  const bool findsFocal = s.q.focal == Focal::Unknown;
  const auto worlds = planeWorlds(seen.first, seen.homographies, seen.middle, s.width, findsFocal ? 0 : s.inner.f);
  std::vector<Attempt> out;
  for (const PlaneWorld& p : worlds) {
    s.job.checkpoint();
    Intrinsics inner = seen.thought;
    inner.f = p.f;
    Attempt a;
    a.world = std::make_shared<Reconstruction>(s.tracks, s.range, inner, Reconstruction::Style{}, s.lens);
    Reconstruction& w = *a.world;
    constexpr int kFewest = 8;
    if (w.startBefore(p.normal, p.views, kGivenWidth * s.width) < kFewest) continue;
    BundleSettings ask;
    ask.focal = false, ask.k1 = false;
    asFirstLook(ask);
    w.bundle(ask, s.job);
    ask.focal = s.findsFocal(), ask.k1 = s.q.k1;
    asSettling(ask);
    w.bundle(ask, s.job);
    w.dropOutliers(5, 1.0);
    a.rms = w.bundle(ask, s.job).rmsPx;
    w.triangulate(kLooseWidth * s.width, 0);
    a.points = w.pointCount();
    out.push_back(std::move(a));
  }
  std::sort(out.begin(), out.end(), [](const Attempt& a, const Attempt& b) { return a.score() > b.score(); });
  return out;
}

}  // namespace

Solved beforePlane(const SolveProblem& s) {
  const auto firsts = firstBefore(s);
  std::vector<Solved> all;
  for (const Attempt& first : firsts) {
    Solved one = bestOf(s, {first}, Kind::Plane);
    if (one.world) all.push_back(std::move(one));
    if (!all.empty() && all.back().stopped) break;
  }
  const auto price = [&](const Solved& a) { return priceOf(s, *a.world, false); };
  std::sort(all.begin(), all.end(), [&](const Solved& a, const Solved& b) { return price(a) < price(b); });
  if (all.empty())
    throw Error("no camera in front of one plane explains the tracks",
                "Switch off tracks that are not on it, or solve as a moving camera");
  Solved& best = all.front();
  const auto tilt = [](const Solved& a) {
    // Of the plane against the line of sight, where the first frame looks at it.
    const Reconstruction& w = *a.world;
    for (int f = w.range.first; f <= w.range.last; ++f)
      if (w.view(f)) return std::acos(std::min(1.0, std::abs((w.view(f)->turn * w.normal()).z()))) * 180 / M_PI;
    return 0.0;
  };
  const auto apart = [&](const Solved& a, const Solved& b) {
    const Reconstruction &x = *a.world, &y = *b.world;
    for (int f = x.range.first; f <= x.range.last; ++f)
      if (x.view(f) && y.view(f)) {
        const double along = (x.view(f)->turn * x.normal()).dot(y.view(f)->turn * y.normal());
        return std::acos(std::min(1.0, std::abs(along))) * 180 / M_PI;
      }
    return 0.0;
  };
  // Degrees between two answers, and how far their errors are alike.
  constexpr double kApart = 2, kAlike = 1.1, kAlikePx = 0.005;
  for (size_t k = 1; k < all.size(); ++k) {
    if (apart(best, all[k]) < kApart || all[k].report.rmsPx > kAlike * best.report.rmsPx + kAlikePx) continue;
    best.doubt = fmt::format(
        "two answers explain the plane alike: tilted by {:.0f} degrees against the line of sight ({:.3f} px), or by "
        "{:.0f} the other way ({:.3f} px); the first was taken. More frames, from more sides, or something beside the "
        "plane separates them",
        tilt(best), best.report.rmsPx, tilt(all[k]), all[k].report.rmsPx);
    break;
  }
  return best;
}

}  // namespace zentil::solve
