#include "core/element/plain_colour_settings.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element& e, const element::PlainColour&, const Shot& shot,
                    std::vector<Problem>& out) {
  grainProblems(e, shot, false, out);
}

}  // namespace zentil::shot
