#include "core/matte/image_matte.h"

#include "core/evaluate/matte_content.h"
#include "core/value/hash.h"

namespace zentil::evaluate {

template <>
void evaluateContent(const matte::ImageMatte& pictured, const matte::Part&, const PartWhere& where, MattePart& out) {
  const int frame = where.frame - pictured.shift;
  out.reads = {{pictured.files, frame, 1, stampOf(pictured.files.fileOf(frame))}};
}

template <>
bool comparesWith(const matte::ImageMatte&, const std::string&) {
  return false;
}

template <>
uint64_t contentKey(const matte::ImageMatte&, const MattePart& p) {
  return value::Hasher().add("pictured").add(p.reads.front().key()).add(p.softPx).add(p.growPx).key();
}

}  // namespace zentil::evaluate
