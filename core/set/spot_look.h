#pragma once
#include <functional>

#include "core/set/spot.h"

namespace zentil::set {

/// How a spot is seen: its place and the corners of its square, in numbers of a picture.
struct SpotLook {
  Vec2 at = Vec2::Zero();
  std::array<Vec2, 4> corners{};
};
/// By what brings a place of the world onto the picture; false where that fails for any of them.
bool lookAt(const Spot& spot, const std::function<bool(const Vec3&, Vec2&)>& onto, SpotLook& out);
/// How one look differs from another: the similarity nearest to how the corners move about their place.
struct LookChange {
  double scale = 1, turn = 0;  ///< radians, clockwise on a picture that counts down
};
LookChange changeOf(const SpotLook& from, const SpotLook& to);

}  // namespace zentil::set
