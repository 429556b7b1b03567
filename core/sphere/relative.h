#pragma once
#include <vector>

#include "core/base/geometry.h"

namespace zentil::sphere {

/// How a sphere that sees everything stands, seen from another: places of the world as directions from both.
struct Relative {
  Mat3 rotation = Mat3::Identity();  ///< from directions of the first to directions of the second
  Vec3 travel = Vec3::Zero();        ///< where to things that are near seem to go, in the second; zero: it only turned
  double sigma = 0;                  ///< standard error of the rotation about each axis, radians
  double residual = 0;               ///< of those that agree, radians (median, across the way they go)
  std::vector<bool> agree;           ///< which pairs do
  int agreeing() const;
};

/// The rotation between two sets of directions (of length one, pair by pair), some of which lie. Where the sphere
/// travelled, what is near moves away from one point and towards its opposite; all else that is left is rotation: the
/// epipolar constraint, with each distance free but positive. First the rotation that most pairs agree with (three
/// degrees of freedom from two pairs: Wahba 1965, solved as Kabsch 1976), then rotation and travel together under a
/// robust loss, by Ceres; without travel where that says nearly as much. `lastTravel`: where things went before, as
/// one of the starts. Throws Error for fewer than eight pairs, or where fewer than eight agree.
Relative relativeOf(const std::vector<Vec3>& first, const std::vector<Vec3>& second,
                    const Vec3& lastTravel = Vec3::Zero());

}  // namespace zentil::sphere
