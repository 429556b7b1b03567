#include "core/set/spot_look.h"

#include <cmath>

namespace zentil::set {

bool lookAt(const Spot& spot, const std::function<bool(const Vec3&, Vec2&)>& onto, SpotLook& out) {
  const auto corners = spot.corners();
  bool all = onto(spot.position, out.at);
  for (size_t i = 0; i < 4; ++i) all = all && onto(corners[i], out.corners[i]);
  return all;
}

LookChange changeOf(const SpotLook& from, const SpotLook& to) {
  double dot = 0, cross = 0, size = 0;
  for (size_t i = 0; i < 4; ++i) {
    const Vec2 a = from.corners[i] - from.at, b = to.corners[i] - to.at;
    dot += a.dot(b), cross += a.x() * b.y() - a.y() * b.x(), size += a.squaredNorm();
  }
  return {std::hypot(dot, cross) / size, std::atan2(cross, dot)};
}

}  // namespace zentil::set
