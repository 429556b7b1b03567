#include "core/matte/gradient.h"

#include "core/evaluate/matte_content.h"
#include "core/value/hash.h"

namespace zentil::evaluate {

template <>
void evaluateContent(const matte::Gradient&, const matte::Part&, const PartWhere&, MattePart&) {}

template <>
bool comparesWith(const matte::Gradient&, const std::string&) {
  return false;
}

template <>
uint64_t contentKey(const matte::Gradient& gradient, const MattePart& p) {
  return value::Hasher()
      .add("gradient")
      .add(gradient.from.constant())
      .add(gradient.to.constant())
      .add(gradient.smooth)
      .add(p.softPx)
      .add(p.growPx)
      .key();
}

}  // namespace zentil::evaluate
