#include "core/solve/focal_range.h"

#include <algorithm>
#include <cmath>

namespace zentil::solve {
namespace {

/// What refine() makes least.
double costOf(const std::vector<View>& views, const Intrinsics& inner, const std::vector<Vec3>& points,
              const std::vector<Observation>& sights, const BundleSettings& q) {
  double sum = 0;
  for (const Observation& s : sights) {
    constexpr double kGone = 10;  // px, of one that lands nowhere any more
    Vec2 at;
    const bool lands = inner.project(views[static_cast<size_t>(s.view)], points[static_cast<size_t>(s.point)], at);
    const double off = lands ? (at - s.at).norm() : kGone;
    sum += s.weight * (off <= q.huberPx ? off * off : q.huberPx * (2 * off - q.huberPx));
  }
  const auto values = valuesOf(inner);
  for (size_t k = 0; k < kInner; ++k) sum += q.priorWeight[k] * std::pow(values[k] - q.priorMean[k], 2);
  return sum;
}

}  // namespace

std::array<double, kInner> offWithFocal(const Reconstruction::Packed& world, const Intrinsics& inner,
                                        const BundleSettings& question, double variance, const Job& job) {
  constexpr double kStep = 0.15, kFurthest = 1.1;  // of the logarithm
  BundleSettings ask = question;
  ask.focal = false, ask.rounds = 15, ask.enough = 1e-4;
  const double least = costOf(world.views, inner, world.points, world.sights, question);
  std::array<double, kInner> off{};
  for (const int way : {-1, 1}) {
    auto views = world.views;
    auto points = world.points;
    Intrinsics now = inner;
    // In standard errors: the cost rises as their square.
    double before = 0, at = 0;
    while (at < kFurthest) {
      now.f = inner.f * std::exp(way * (at + kStep));
      refine(views, now, points, world.sights, ask, job);
      const double rise = costOf(views, now, points, world.sights, question) - least,
                   sigmas = std::sqrt(std::max(0.0, rise) / variance);
      constexpr double kTwo = 2;
      if (sigmas >= kTwo) {
        at += kStep * (kTwo - before) / (sigmas - before);
        break;
      }
      before = sigmas, at += kStep;
    }
    // The others where that is: of the last step, which went a little further.
    const double part = at > 0 ? std::min(1.0, at / std::max(1e-9, std::abs(std::log(now.f / inner.f)))) : 0;
    const auto there = valuesOf(now), here = valuesOf(inner);
    for (size_t k = 0; k < kInner; ++k) off[k] = std::max(off[k], std::abs(there[k] - here[k]) * part / 2);
    off[0] = std::max(off[0], std::abs(std::exp(way * at) - 1) * inner.f / 2);
  }
  return off;
}

}  // namespace zentil::solve
