#pragma once
#include <vector>

#include "core/set/surface.h"

namespace zentil::set {

/// A body that points lie on, and how well.
struct BodyFit {
  Surface surface;            ///< its kind is the asker's to say
  double rms = 0, worst = 0;  ///< metres by which points lie beside it, those that do not belong to it left out of rms
  double sigma = 0;           ///< standard error of its radius
  size_t leftOut = 0;         ///< points that lie beside it by more than 3.5 times what the others do
};

/// The cylinder, or the sphere, with the least distances of points from it (orthogonal distance regression; Lukacs,
/// Martin and Marshall 1998, Faithful Least-Squares Fitting of Spheres, Cylinders, Cones and Tori), by Ceres from
/// several axes, with Huber's weights. Throws Error for fewer than eight points (five for a sphere), for points that
/// tell no radius, and for one more than a hundred times as large as they reach.
BodyFit fitCylinder(const std::vector<Vec3>& points);
BodyFit fitSphere(const std::vector<Vec3>& points);

}  // namespace zentil::set
