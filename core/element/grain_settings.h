#pragma once
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// A stage: the plate's grain laid on the layer anew, on every frame its own.
struct FreshGrain {
  bool freshGrain = false;
  value::Value<double> grain = 1.0;  ///< as strong as the plate's, times this
  bool operator==(const FreshGrain&) const = default;
};

template <typename See>
void describe(const FreshGrain*, See&& see) {
  using value::label;
  see("freshGrain", &FreshGrain::freshGrain, label("fresh grain"));
  see("grain", &FreshGrain::grain, label("strength of its grain").within(0, 4).shown(100, "%").by(5));
}

}  // namespace zentil::element
