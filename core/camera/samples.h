#pragma once
#include <map>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::camera {

/// Numbers over time, as files of other programs keep them: in proportion between samples, held beyond the ends. A 4x4
/// matrix is 16 numbers, row by row, for columns that are multiplied from the right.
class Samples {
 public:
  std::map<double, std::vector<double>> at;
  bool empty() const { return at.empty(); }
  std::vector<double> value(double time) const;
  /// The same for a 4x4 matrix of a rigid move: between samples its turn goes the short way round.
  Eigen::Matrix4d matrix(double time) const;
};

/// Place and turn out of a matrix without shear; its scale is taken out.
void placeAndTurn(const Eigen::Matrix4d& m, Vec3& place, Mat3& turn);

/// From a file's world, with another axis up and another unit, to the shot's.
Eigen::Matrix4d toYUpMetres(bool zUp, double metresPerUnit);

}  // namespace zentil::camera
