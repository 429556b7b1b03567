#include "core/element/checker.h"

#include <cmath>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
Made SourceMaker<element::Checker>::make(const element::Checker& c, const Making& m) {
  const set::Surface* s = m.here().surface(surfaceOf(m.layer.place));
  if (!s) throw Error(fmt::format("\"{}\" has no surface to land on", m.layer.name), "Choose a surface for it");
  const Vec2 face = set::faceSize(*s);
  value::Hasher h;
  h.add("checker").add(c).add(face);
  auto board =
      m.workshop.picture(h.key(), 0, [&] { return element::checkerPicture(face.x(), face.y(), c.squareM, c.lines); });
  const Box size = board->display;
  return {board, ByFace{size.width(), size.height()}, {}, {}};
}

template <>
void SourceFiles<element::Checker>::take(element::Checker&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a checker has no files", "Choose another kind of element");
}

}  // namespace zentil::comp
