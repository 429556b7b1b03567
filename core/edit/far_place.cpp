#include "core/edit/far_place.h"

namespace zentil::edit {

element::Place farPlaceOf(const element::Element& e) {
  return std::visit(
      [](const auto& source) {
        if constexpr (requires { source.files.width; })
          return element::atInfinity(source.files.height > 0 && source.files.width == 2 * source.files.height);
        else
          return element::atInfinity(false);
      },
      e.source);
}

}  // namespace zentil::edit
