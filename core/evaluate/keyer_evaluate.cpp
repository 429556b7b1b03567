#include "core/matte/keyer.h"

#include "core/evaluate/matte_content.h"
#include "core/value/hash.h"

namespace zentil::evaluate {

void put(const matte::Keyer& keyed, const matte::Part& part, const PartWhere& where, MattePart& out) {
  KeyerNow now;
  now.question = {keyed.by, keyed.low.at(where.frame), keyed.high.at(where.frame), keyed.backing.at(where.frame)};
  now.softPx = part.softPx.at(where.frame), now.growPx = part.growPx.at(where.frame);
  now.plate = where.evaluator.plateAt(where.frame);
  out.reads = {now.plate};
  if (keyed.by == matte::KeyBy::Difference) {
    now.against = std::make_shared<FrameState>(where.evaluator.shown(keyed.element, where.frame));
    const auto& files = now.against->layers.front().files;
    out.reads.insert(out.reads.end(), files.begin(), files.end());
  }
  out.content = std::move(now);
}

bool comparesWith(const matte::Keyer& keyed, const std::string& element) {
  return keyed.by == matte::KeyBy::Difference && keyed.element == element;
}

uint64_t keyOf(const KeyerNow& now) {
  value::Hasher h;
  h.add("keyed").add(now.question.by).add(now.question.low).add(now.question.high).add(now.question.backing);
  h.add(now.plate.key()).add(now.softPx).add(now.growPx);
  if (now.against) h.add(now.against->key);
  return h.key();
}

}  // namespace zentil::evaluate
