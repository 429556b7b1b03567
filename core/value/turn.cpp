#include "core/value/turn.h"

#include <Eigen/Geometry>
#include <cmath>

namespace zentil::value {

Vec3 turnDegrees(const Mat3& m) {
  // m = Ry Rx Rz
  const double level = std::hypot(m(0, 2), m(2, 2)), x = std::atan2(-m(1, 2), level);
  double y, z;
  if (level > 1e-9)
    y = std::atan2(m(0, 2), m(2, 2)), z = std::atan2(m(1, 0), m(1, 1));
  else
    y = std::atan2(-m(2, 0), m(0, 0)), z = 0;
  return Vec3(x, y, z) * 180 / M_PI;
}

Mat3 turnFromDegrees(const Vec3& d) {
  const Vec3 r = d * M_PI / 180;
  return (Eigen::AngleAxisd(r.y(), Vec3::UnitY()) * Eigen::AngleAxisd(r.x(), Vec3::UnitX()) *
          Eigen::AngleAxisd(r.z(), Vec3::UnitZ()))
      .toRotationMatrix();
}

}  // namespace zentil::value
