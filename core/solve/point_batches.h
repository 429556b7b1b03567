#pragma once
#include <vector>

#include "core/solve/view.h"

namespace zentil::solve {

/// Points that are eliminated together, and the views that see them.
struct PointBatch {
  std::vector<int> points;
  int lo = 0, hi = -1;
};

/// Points that are seen by the same stretch of views go together, so that products of matrices do the work. Sorts each
/// point's observations by view.
std::vector<PointBatch> batchesOf(std::vector<std::vector<int>>& byPoint, const std::vector<Observation>& sights);

}  // namespace zentil::solve
