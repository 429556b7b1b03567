#include "core/matte/keyer.h"

#include "core/evaluate/matte_content.h"
#include "core/value/hash.h"

namespace zentil::evaluate {

template <>
void evaluateContent(const matte::Keyer& keyed, const matte::Part&, const PartWhere& where, MattePart& out) {
  out.reads = {where.evaluator.plateAt(where.frame)};
  if (keyed.by == matte::KeyBy::Difference) {
    out.against = std::make_shared<FrameState>(where.evaluator.shown(keyed.element, where.frame));
    const auto& files = out.against->layers.front().files;
    out.reads.insert(out.reads.end(), files.begin(), files.end());
  }
}

template <>
bool comparesWith(const matte::Keyer& keyed, const std::string& element) {
  return keyed.by == matte::KeyBy::Difference && keyed.element == element;
}

template <>
uint64_t contentKey(const matte::Keyer& keyed, const MattePart& p) {
  value::Hasher h;
  h.add("keyed").add(keyed.by).add(keyed.low.constant()).add(keyed.high.constant()).add(keyed.backing.constant());
  h.add(p.reads.front().key()).add(p.softPx).add(p.growPx);
  if (p.against) h.add(p.against->key);
  return h.key();
}

}  // namespace zentil::evaluate
