#include "core/element/shadow_settings.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element& e, const element::Shadow&, const Shot&, std::vector<Problem>& out) {
  if (e.cover.empty())
    out.push_back({fmt::format("\"{}\" has no outline and changes all of its surface: draw one", e.name)});
}

}  // namespace zentil::shot
