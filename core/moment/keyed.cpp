#include "core/matte/keyed.h"

#include "core/moment/matte_content.h"
#include "core/value/hash.h"

namespace zentil::moment {

void put(const matte::Keyed& keyed, const matte::Part& part, const PartWhere& where, MattePart& out) {
  KeyedNow now;
  now.question = {keyed.by, keyed.low.at(where.frame), keyed.high.at(where.frame), keyed.backing.at(where.frame)};
  now.softPx = part.softPx.at(where.frame), now.growPx = part.growPx.at(where.frame);
  now.plate = where.timeline.plateAt(where.frame);
  out.reads = {now.plate};
  if (keyed.by == matte::KeyBy::Difference) {
    now.against = std::make_shared<Moment>(where.timeline.shown(keyed.element, where.frame));
    const auto& files = now.against->layers.front().files;
    out.reads.insert(out.reads.end(), files.begin(), files.end());
  }
  out.content = std::move(now);
}

bool comparesWith(const matte::Keyed& keyed, const std::string& element) {
  return keyed.by == matte::KeyBy::Difference && keyed.element == element;
}

uint64_t keyOf(const KeyedNow& now) {
  value::Hasher h;
  h.add("keyed").add(now.question.by).add(now.question.low).add(now.question.high).add(now.question.backing);
  h.add(now.plate.key()).add(now.softPx).add(now.growPx);
  if (now.against) h.add(now.against->key);
  return h.key();
}

}  // namespace zentil::moment
