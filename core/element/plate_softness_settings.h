#pragma once
#include "core/element/stage_row.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// A stage: the layer made as soft, or as sharp, as the plate's own edges around it.
struct PlateSoftness {
  static constexpr StageRow kRow = {"Sharpness", {{"", "softAsPlate"}}};
  static constexpr const char* kChoices[] = {"its own", "the plate's"};
  bool softAsPlate = false;
  /// Whether what it does depends on the plate's pixels.
  bool readsPlate() const { return softAsPlate; }
  bool operator==(const PlateSoftness&) const = default;
};

template <typename See>
void describe(const PlateSoftness*, See&& see) {
  using value::label;
  see("softAsPlate", &PlateSoftness::softAsPlate, label("sharpness"));
}

}  // namespace zentil::element
