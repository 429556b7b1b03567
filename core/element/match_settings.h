#pragma once
#include <array>

#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

using Rgb = std::array<double, 3>;

/// A stage: the layer's colours matched to the plate's; RGB times gain plus offset, scene-linear.
struct Match {
  bool matched = true;  ///< they apply; else they are only kept
  value::Value<Rgb> gain = Rgb{1, 1, 1}, offset = Rgb{0, 0, 0};
  value::Value<double> saturation = 1.0;  ///< before gain: 0 grey, 1 as it is; by luminance of BT.709
  bool operator==(const Match&) const = default;
};

template <typename See>
void describe(const Match*, See&& see) {
  using value::label;
  see("matched", &Match::matched, label("match"));
  see("gain", &Match::gain, label("gain").within(0, 100).in("", 2).by(0.01));
  see("saturation", &Match::saturation, label("saturation").within(0, 4).shown(100, "%").by(5));
  see("offset", &Match::offset, label("offset").within(-100, 100).in("", 3).by(0.002));
}

}  // namespace zentil::element
