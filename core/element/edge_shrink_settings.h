#pragma once
#include "core/element/stage_row.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// A stage: the layer's own edge drawn in, so that a rim of what was behind it when it was made does not show.
struct EdgeShrink {
  static constexpr StageRow kRow = {"Edge", {{"shrunk by", "edgeShrinkPx"}}};
  value::Value<double> edgeShrinkPx = 0.0;
  bool operator==(const EdgeShrink&) const = default;
};

template <typename See>
void describe(const EdgeShrink*, See&& see) {
  using value::label;
  see("edgeShrinkPx", &EdgeShrink::edgeShrinkPx, label("shrinking of the edge").within(0, 10).in("px", 1).by(0.1));
}

}  // namespace zentil::element
