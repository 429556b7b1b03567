#include "core/view/far_picture.h"

#include <algorithm>
#include <array>

namespace zentil::view {
namespace {

camera::Camera eyeOf(const FarSight& s) {
  Steer steer = s.steer;
  steer.fovDegrees = std::clamp(steer.fovDegrees, 1.0, 175.0);
  return steered(steer, s.width, s.height);
}

}  // namespace

ViewPtr flatPicture(const FarSight& s) { return std::make_shared<Perspective>(eyeOf(s)); }

ViewPtr allAround(const FarSight& s) { return std::make_shared<Sphere>(s.width, s.height, eyeOf(s).rotation); }

ViewPtr farView(FarPicture what, const FarSight& s) {
  static const std::array kViews = {&flatPicture, &allAround, &cylinder};
  return kViews.at(static_cast<size_t>(what))(s);
}

}  // namespace zentil::view
