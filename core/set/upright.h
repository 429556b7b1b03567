#pragma once
#include <vector>

#include "core/base/geometry.h"

namespace zentil::set {

/// Which way is up, by things that stand plumb.
struct Upright {
  Vec3 up = Vec3::UnitY();
  double residualDegrees = 0;  ///< root mean square, of the lines off plumb
  double sigmaDegrees = 0;     ///< standard error of up
};

/// Each line as directions to some of its points, two or more, all in the same axes. Upright things lie each in a plane
/// with up: up is the direction nearest to all of those planes (the least eigenvector of the sum of their normals'
/// products), on the side of `near`. `pointDegrees`: by how much a hand errs at a point; what is stated is never surer
/// than that allows. Throws Error for fewer than two lines, a line whose points lie in one direction,
/// or lines that all lie in one plane.
Upright uprightBy(const std::vector<std::vector<Vec3>>& lines, const Vec3& near, double pointDegrees);

/// How far a line stands off plumb, where up is +Y, degrees; NaN where it is too short to say.
double offPlumb(const std::vector<Vec3>& line);

/// The rotation, about a level axis, that brings a direction up to the world's (+Y).
Mat3 bringingUp(const Vec3& up);

}  // namespace zentil::set
