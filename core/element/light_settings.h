#pragma once
#include <span>

#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// Whether an element's light is as it was set, or follows the plate's around it on every frame: its level, or its
/// level and how that changes across the place.
enum class Light { AsSet, Level, Slope };
inline std::span<const char* const> namesOf(Light) {
  static constexpr const char* kNames[] = {"as set", "level", "slope"};
  return kNames;
}

/// A stage: light that follows the plate's.
struct FollowedLight {
  Light light = Light::AsSet;
  double steadyFrames = 2;  ///< averaged over this many frames to each side
  bool operator==(const FollowedLight&) const = default;
};

template <typename See>
void describe(const FollowedLight*, See&& see) {
  using value::label;
  see("light", &FollowedLight::light, label("light"));
  see("steadyFrames", &FollowedLight::steadyFrames, label("light smoothing").within(0, 24).in("", 0).by(1));
}

}  // namespace zentil::element
