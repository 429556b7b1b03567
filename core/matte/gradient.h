#pragma once
#include "core/base/geometry.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::matte {

/// A ramp across the picture: nothing is covered up to a line through `from`, all beyond one through `to`; both lie
/// square to the way from one to the other. Plate pixels; it stands on the screen.
struct Gradient {
  static constexpr const char* kKind = "gradient";
  static constexpr bool kCanFollow = false;
  value::Value<Vec2> from = Vec2(0, 0), to = Vec2(0, 100);
  bool smooth = true;  ///< begins and ends gently (3t^2 - 2t^3) instead of straight
  bool operator==(const Gradient&) const = default;
};

template <typename See>
void describe(const Gradient*, See&& see) {
  using value::label;
  see("from", &Gradient::from, label("where it begins").within(-1e6, 1e6).in("px", 0).by(1));
  see("to", &Gradient::to, label("where it covers all").within(-1e6, 1e6).in("px", 0).by(1));
  see("smooth", &Gradient::smooth, label("ramp"));
}

}  // namespace zentil::matte
