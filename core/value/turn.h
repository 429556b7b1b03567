#pragma once
#include "core/base/geometry.h"

namespace zentil::value {

/// A turn as rotations about Y, then X, then Z of the turned axes, in degrees, and back.
Vec3 turnDegrees(const Mat3& turn);
Mat3 turnFromDegrees(const Vec3& degrees);

}  // namespace zentil::value
