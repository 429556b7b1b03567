#include "core/edit/mend.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/shot/recipe.h"

namespace zentil::edit {

void takeFrame(shot::Shot& s, const std::string id, int frame) {
  const std::string path = "elements." + id + ".source.";
  shot::setWord(s, path + "frame", std::to_string(frame), frame);
  shot::setWord(s, path + "picture", "", frame);
}

void takeShade(shot::Shot& s, const std::string id, const measure::Shade& shade, int frame) {
  const std::string path = "elements." + id + ".source.lets.";
  const char* channels[] = {"r", "g", "b"};
  for (size_t c = 0; c < 3; ++c)
    shot::setWord(s, path + channels[c], fmt::format("{:.8f}", 100 * shade.lets[c]), frame);
  const auto* m = s.matte(s.element(id)->matte());
  if (!m || m->parts.size() != 1 || m->inverted || s.element(id)->cover.front().inverted) return;
  const auto& p = m->parts.front();
  if (!shapesOf(p) || p.softPx.keyed() || p.growPx.keyed()) return;
  // A matte's softness falls outwards from its outline; its half lies in the middle of that.
  const double half = p.growPx.constant() + p.softPx.constant() / 2 + shade.edge.shiftPx;
  const std::string part = "mattes." + m->id + ".parts." + p.id + ".";
  shot::setWord(s, part + "softPx", fmt::format("{:.4f}", shade.edge.widthPx), frame);
  shot::setWord(s, part + "growPx", fmt::format("{:.4f}", half - shade.edge.widthPx / 2), frame);
}

}  // namespace zentil::edit
