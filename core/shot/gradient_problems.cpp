#include "core/matte/gradient.h"

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void contentProblems(const matte::Gradient& gradient, const matte::Matte& m, const matte::Part&, const Shot& shot,
                     std::vector<Problem>& out) {
  for (int f = shot.range.first; f <= shot.range.last; ++f)
    if ((gradient.to.at(f) - gradient.from.at(f)).norm() < 1e-6) {
      out.push_back({fmt::format("matte \"{}\": its gradient begins where it ends: move one of its ends", m.name)});
      return;
    }
}

}  // namespace zentil::shot
