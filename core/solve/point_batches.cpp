#include "core/solve/point_batches.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace zentil::solve {

std::vector<PointBatch> batchesOf(std::vector<std::vector<int>>& byPoint, const std::vector<Observation>& sights) {
  std::vector<PointBatch> batches;
  std::vector<int> order;
  for (size_t p = 0; p < byPoint.size(); ++p) {
    auto& list = byPoint[p];
    std::sort(list.begin(), list.end(),
              [&](int a, int b) { return sights[static_cast<size_t>(a)].view < sights[static_cast<size_t>(b)].view; });
    if (!list.empty()) order.push_back(static_cast<int>(p));
  }
  const auto lo = [&](int p) { return sights[static_cast<size_t>(byPoint[static_cast<size_t>(p)].front())].view; };
  const auto hi = [&](int p) { return sights[static_cast<size_t>(byPoint[static_cast<size_t>(p)].back())].view; };
  const auto likeness = [&](int p) { return static_cast<int>(2 * std::log2(hi(p) - lo(p) + 1)); };
  std::sort(order.begin(), order.end(), [&](int a, int b) {
    return std::make_tuple(likeness(a), lo(a), a) < std::make_tuple(likeness(b), lo(b), b);
  });
  // Fewer, and the products are small; more, and a batch spans views that most of its points do not see.
  constexpr int kFewest = 16, kMost = 96;
  for (const int p : order) {
    const int span = hi(p) - lo(p) + 1;
    const bool fits = !batches.empty() && [&] {
      const PointBatch& b = batches.back();
      const int together = std::max(b.hi, hi(p)) - std::min(b.lo, lo(p)) + 1;
      return static_cast<int>(b.points.size()) < std::clamp(together / 2, kFewest, kMost) &&
             together <= span * 5 / 4 + 4;
    }();
    if (!fits) batches.push_back({{}, lo(p), hi(p)});
    PointBatch& b = batches.back();
    b.points.push_back(p);
    b.lo = std::min(b.lo, lo(p)), b.hi = std::max(b.hi, hi(p));
  }
  return batches;
}

}  // namespace zentil::solve
