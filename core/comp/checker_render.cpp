#include "core/element/checker_settings.h"

#include <cmath>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

/// Metres across and down. A region's size is not known in metres: its longer side counts as two.
Vec2 faceFor(const SourceContext& m) {
  if (const auto it = m.here().regions->find(regionOf(m.layer.place)); it != m.here().regions->end()) {
    constexpr double kLongerSideM = 2;
    const auto& q = it->second.quad;
    const Vec2 px((q[1] - q[0]).norm() + (q[2] - q[3]).norm(), (q[3] - q[0]).norm() + (q[2] - q[1]).norm());
    return px * (kLongerSideM / std::max(px.maxCoeff(), 1e-9));
  }
  const set::Surface* s = m.here().surface(surfaceOf(m.layer.place));
  if (!s) throw Error(fmt::format("\"{}\" has no surface or region", m.layer.name), "Choose one in its sentence");
  return set::faceSize(*s);
}

}  // namespace

template <>
SourceResult SourceMaker<element::Checker>::make(const element::Checker& c, const SourceContext& m) {
  const Vec2 face = faceFor(m);
  value::Hasher h;
  h.add("checker").add(c).add(face);
  auto board =
      m.cache.picture(h.key(), 0, [&] { return element::checkerPicture(face.x(), face.y(), c.squareM, c.lines); });
  const Box size = board->display;
  return {board, ByFace{size.width(), size.height()}, {}, {}};
}

template <>
void SourceFiles<element::Checker>::take(element::Checker&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a checker has no files", "Choose another kind of element");
}

}  // namespace zentil::comp
