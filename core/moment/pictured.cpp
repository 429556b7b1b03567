#include "core/matte/pictured.h"

#include "core/moment/matte_content.h"
#include "core/value/hash.h"

namespace zentil::moment {

void put(const matte::Pictured& pictured, const matte::Part& part, const PartWhere& where, MattePart& out) {
  const int frame = where.frame - pictured.shift;
  out.reads = {{pictured.files, frame, 1, stampOf(pictured.files.fileOf(frame))}};
  out.content = PicturedNow{out.reads.front(), part.softPx.at(where.frame), part.growPx.at(where.frame)};
}

uint64_t keyOf(const PicturedNow& now) {
  return value::Hasher().add("pictured").add(now.file.key()).add(now.softPx).add(now.growPx).key();
}

}  // namespace zentil::moment
