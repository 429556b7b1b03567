#pragma once
#include <array>

#include "core/element/needs.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// A source: one colour, all over a surface or region: a screen for what comes later, a wall in one tone, something to
/// see an edge against.
struct PlainColour {
  static constexpr const char* kKind = "plain colour";
  value::Value<std::array<double, 3>> colour = std::array<double, 3>{0.18, 0.18, 0.18};  ///< RGB, scene-linear
  int frame = 0;  ///< the frame that its slip is measured against
  bool operator==(const PlainColour&) const = default;

  Needs needsAt(int) const {
    Needs n{frame, {}};
    n.measuredOnly = true;
    return n;
  }
};

template <typename See>
void describe(const PlainColour*, See&& see) {
  using value::label;
  see("colour", &PlainColour::colour, label("colour").within(0, 1000).in("", 3).by(0.01));
  see("frame", &PlainColour::frame, label("frame it is measured against").frame().nonRendering());
}

}  // namespace zentil::element
