#include "core/solve/bundle.h"

#include <algorithm>
#include <cmath>

#include "core/solve/bundle_system.h"

namespace zentil::solve {
namespace {

template <int B>
int descend(std::vector<View>& views, Intrinsics& inner, std::vector<Vec3>& points,
            const std::vector<Observation>& sights, const BundleSettings& q, const Job& job) {
  Bundle<B> bundle(views, inner, points, sights, q, job);
  double cost = bundle.cost(views, inner, points), damping = q.damping;
  std::vector<View> nextViews;
  Intrinsics next;
  std::vector<Vec3> nextPoints;
  // Marquardt's rule (1963): a step that gains is followed by a bolder one, one that does not is tried again, shorter.
  constexpr double kBolder = 8, kShorter = 6, kUnsolved = 10;
  constexpr double kLeast = 1e-12, kMost = 1e10;  // beyond it a step is too short to change a double
  int rounds = 0;
  for (; rounds < q.rounds && damping < kMost; ++rounds) {
    job.checkpoint();
    if (!bundle.step(damping, nextViews, next, nextPoints)) {
      damping *= kUnsolved;
      continue;
    }
    double c = bundle.cost(nextViews, next, nextPoints);
    if (!(c < cost)) bundle.settleInner(nextViews, next, nextPoints), c = bundle.cost(nextViews, next, nextPoints);
    if (!(c < cost)) bundle.settlePoints(nextViews, next, nextPoints), c = bundle.cost(nextViews, next, nextPoints);
    if (c < cost) {
      const bool done = cost - c < q.enough * cost;
      views = nextViews, inner = next, points = nextPoints;
      cost = c;
      damping = std::max(damping / kBolder, kLeast);
      if (done) break;
    } else {
      damping *= kShorter;
    }
  }
  return rounds;
}

}  // namespace

BundleReport refine(std::vector<View>& views, Intrinsics& inner, std::vector<Vec3>& points,
                    const std::vector<Observation>& sights, const BundleSettings& q, const Job& job) {
  BundleReport out;
  const auto run = q.turning ? (q.zooming ? descend<4> : descend<3>) : (q.zooming ? descend<7> : descend<6>);
  out.rounds = run(views, inner, points, sights, q, job);
  double sum = 0;
  size_t n = 0;
  for (const Observation& s : sights) {
    Vec2 at;
    if (inner.project(views[static_cast<size_t>(s.view)], points[static_cast<size_t>(s.point)], at))
      sum += (at - s.at).squaredNorm(), ++n;
  }
  out.rmsPx = n ? std::sqrt(sum / static_cast<double>(n)) : 0;
  return out;
}

NormalEquations normalEquationsOf(const std::vector<View>& views, const Intrinsics& inner,
                                  const std::vector<Vec3>& points, const std::vector<Observation>& sights,
                                  const BundleSettings& q, const Job& job) {
  const auto of = [&]<int B>() {
    Bundle<B> bundle(views, inner, points, sights, q, job);
    bundle.assemble(0);
    return NormalEquations{bundle.dense(), bundle.gradient()};
  };
  if (q.turning) return q.zooming ? of.template operator()<4>() : of.template operator()<3>();
  return q.zooming ? of.template operator()<7>() : of.template operator()<6>();
}

}  // namespace zentil::solve
