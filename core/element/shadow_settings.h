#pragma once
#include <array>
#include <string>

#include "core/element/needs.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// A source: what lies below it, under another light. Inside the cover a shadow is lifted (or laid): the pixels of the
/// plate, and of what was laid on it before, are divided (or multiplied) by what the shadow lets through, as far as the
/// cover says, so that texture and grain stay.
struct Shadow {
  static constexpr const char* kKind = "shadow";
  value::Value<std::array<double, 3>> transmission =
      std::array<double, 3>{0.5, 0.5, 0.5};  ///< RGB, parts of the lit level
  bool add = false;                          ///< a shadow is laid, not lifted
  bool operator==(const Shadow&) const = default;

  /// No picture and no frame of its own: it is what lies below it on each.
  Needs needsAt(int) const { return {}; }
};

template <typename See>
void describe(const Shadow*, See&& see) {
  using value::label;
  see("transmission", &Shadow::transmission, label("transmission").within(0.01, 1).shown(100, "%", 1).by(1));
  see("add", &Shadow::add, label("adding or removing"));
}

}  // namespace zentil::element
