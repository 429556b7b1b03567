#pragma once
#include <array>
#include <string>

#include "core/base/geometry.h"
#include "core/value/setting.h"

namespace zentil::set {

/// What a spot's depth was taken from.
enum class DepthFrom {
  Surface,  ///< a surface of the set, or a mesh
  Picture,  ///< the picture there, found again on other frames
  Points,   ///< the points around it
  Frames,   ///< the same place shown by hand on two frames
  Numbers,  ///< typed
  Plate,    ///< a plate of places or distances
};
inline std::span<const char* const> namesOf(DepthFrom) {
  static constexpr const char* kNames[] = {"surface", "picture", "points", "two frames", "numbers", "plate"};
  return kNames;
}

/// A place in the set, chosen on the picture, and how what is there faces.
struct Spot {
  std::string id, name;
  Vec3 position = Vec3::Zero();      ///< metres
  Mat3 rotation = Mat3::Identity();  ///< its axes in the world: along its face to the right, up it, out of it
  double sizeM = 0.3;                ///< side of the square that stands for its face
  DepthFrom depth = DepthFrom::Surface;
  double sigmaM = 0;  ///< standard error of its depth; 0: not known
  int frame = 0;      ///< where it was chosen
  Vec2 pixel = Vec2::Zero();
  bool operator==(const Spot&) const = default;

  /// The corners of its square: top left, top right, bottom right, bottom left.
  std::array<Vec3, 4> corners() const {
    const Vec3 x = rotation.col(0) * sizeM / 2, y = rotation.col(1) * sizeM / 2;
    return {position - x + y, position + x + y, position + x - y, position - x - y};
  }
};

template <typename See>
void describe(const Spot*, See&& see) {
  using value::label;
  see("id", &Spot::id, label("id"));
  see("name", &Spot::name, label("name"));
  see("position", &Spot::position, label("place").within(-1e6, 1e6).in("m", 3).by(0.01));
  see("rotation", &Spot::rotation, label("turn").in("\u00b0", 1).by(1));
  see("sizeM", &Spot::sizeM, label("size").within(1e-5, 1e6).in("m", 3).by(0.01));
  see("depth", &Spot::depth, label("what its depth is from"));
  see("sigmaM", &Spot::sigmaM, label("standard error of its depth").within(0, 1e9).in("m", 4));
  see("frame", &Spot::frame, label("frame it was chosen on").frame());
  see("pixel", &Spot::pixel, label("pixel it was chosen at").within(-1e6, 1e6));
}

}  // namespace zentil::set
