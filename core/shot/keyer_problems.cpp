#include "core/matte/keyer.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void contentProblems(const matte::Keyer& keyed, const matte::Matte& m, const matte::Part&, const Shot& shot,
                     std::vector<Problem>& out) {
  if (keyed.by == matte::KeyBy::Difference && !shot.element(keyed.element))
    out.push_back({fmt::format("matte \"{}\" is keyed by the difference to an element that is {}: choose one", m.name,
                               keyed.element.empty() ? "not chosen" : "gone"),
                   true,
                   {}});
}

}  // namespace zentil::shot
