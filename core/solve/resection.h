#pragma once
// One view from what it sees: points that are known, and where they lie on it.
#include <vector>

#include "core/solve/bundle.h"

namespace zentil::solve {

/// Points of the world and, in the same order, their straight coordinates over the focal length.
struct SeenPoints {
  std::vector<Vec3> world;
  std::vector<Vec2> straight;
};

/// Sets a view's turn and place; false, and nothing is set, where the points do not say them. `within`: how far a point
/// may be off, over the focal length; what is further off does not count. The same points give the same view.
///
/// Of a moving camera, eight points or more: by perspective-n-point with RANSAC (OpenCV), from a view that stands near
/// where there is one.
bool placeView(const SeenPoints& seen, const View* near, double within, View& view);
/// Of one before the plane normal . X = away, on which all points lie, six or more: that is seen under a homography,
/// whose columns say the view.
bool placeBefore(const SeenPoints& seen, const Vec3& normal, double away, double within, View& view);
/// Of one that only turns, four points or more, as directions (Kabsch 1976, by those that most agree on).
bool turnView(const SeenPoints& seen, double within, View& view);

}  // namespace zentil::solve
