#include "core/element/cg_settings.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element& e, const element::Cg& r, const Shot& shot, std::vector<Problem>& out) {
  if (!r.shadow) grainProblems(e, shot, false, out);
  sequenceProblems(e, r.files, r.shift, r.beyond, shot, out);
}

}  // namespace zentil::shot
