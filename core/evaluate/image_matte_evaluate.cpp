#include "core/matte/image_matte.h"

#include "core/evaluate/matte_content.h"
#include "core/value/hash.h"

namespace zentil::evaluate {

void put(const matte::ImageMatte& pictured, const matte::Part& part, const PartWhere& where, MattePart& out) {
  const int frame = where.frame - pictured.shift;
  out.reads = {{pictured.files, frame, 1, stampOf(pictured.files.fileOf(frame))}};
  out.content = ImageMatteNow{out.reads.front(), part.softPx.at(where.frame), part.growPx.at(where.frame)};
}

uint64_t keyOf(const ImageMatteNow& now) {
  return value::Hasher().add("pictured").add(now.file.key()).add(now.softPx).add(now.growPx).key();
}

}  // namespace zentil::evaluate
