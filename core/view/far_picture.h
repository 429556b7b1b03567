#pragma once
#include <span>

#include "core/view/view.h"

namespace zentil::view {

/// What a picture that is far away shows of the world.
enum class FarPicture {
  Flat,       ///< what a lens of a field of view shows
  AllAround,  ///< everything: a 2:1 picture
  Cylinder,   ///< a panorama, by its field of view across
};
inline std::span<const char* const> namesOf(FarPicture) {
  static constexpr const char* kNames[] = {"field of view", "all around", "cylinder"};
  return kNames;
}

/// A picture's size, px, where it looks (its own directions to those of the world), and its field of view across.
struct FarSight {
  int width = 0, height = 0;
  Steer steer;
};

/// How the pixels of such a picture see.
ViewPtr flatPicture(const FarSight&);
ViewPtr allAround(const FarSight&);
ViewPtr cylinder(const FarSight&);
ViewPtr farView(FarPicture, const FarSight&);

}  // namespace zentil::view
