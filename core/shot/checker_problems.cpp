#include "core/element/checker_settings.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element&, const element::Checker&, const Shot&, std::vector<Problem>&) {}

}  // namespace zentil::shot
