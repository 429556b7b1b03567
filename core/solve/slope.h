#pragma once
#include "core/solve/view.h"

namespace zentil::solve {

using Mat23 = Eigen::Matrix<double, 2, 3>;
using Mat2Inner = Eigen::Matrix<double, 2, kInner>;
using Mat27 = Eigen::Matrix<double, 2, 7>;

/// One residual and how it changes with view (zoom, turn, place), point and inner values.
struct Slope {
  Vec2 residual;
  Mat27 view;
  Mat23 point;
  Mat2Inner inner;
};

/// Where a world point lands on a view against where it was seen, and how that changes; false where it does not land.
bool slopesAt(const View& view, const Intrinsics& inner, const Vec3& world, const Vec2& seen, Slope& slope);

}  // namespace zentil::solve
