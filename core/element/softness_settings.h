#pragma once
#include "core/element/stage_row.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// What is softened: the whole picture, or its edge alone.
enum class SoftnessOf { Picture, Edge };
inline std::span<const char* const> namesOf(SoftnessOf) {
  static constexpr const char* kNames[] = {"picture", "edge"};
  return kNames;
}

/// A stage: the layer softened by a Gaussian.
struct Softness {
  static constexpr StageRow kRow = {"Softness", {{"", "softnessPx"}, {"of its", "softnessOf"}}};
  value::Value<double> softnessPx = 0.0;  ///< its standard deviation, in the pixels that are delivered
  SoftnessOf softnessOf = SoftnessOf::Picture;
  bool operator==(const Softness&) const = default;
};

template <typename See>
void describe(const Softness*, See&& see) {
  using value::label;
  see("softnessPx", &Softness::softnessPx, label("softness").within(0, 20).in("px", 1).by(0.1));
  see("softnessOf", &Softness::softnessOf, label("what is softened"));
}

}  // namespace zentil::element
