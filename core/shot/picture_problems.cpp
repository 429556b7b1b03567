#include "core/element/picture_settings.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element& e, const element::Picture& p, const Shot& shot, std::vector<Problem>& out) {
  grainProblems(e, shot, false, out);
  sequenceProblems(e, p.files, p.shift, p.beyond, shot, out);
}

}  // namespace zentil::shot
