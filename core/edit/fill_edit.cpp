#include "core/element/fill_settings.h"

#include "core/base/error.h"
#include "core/edit/mend.h"
#include "core/shot/source_words.h"

namespace zentil::edit {
namespace {

element::Element& fillOf(shot::Shot& s, const std::string& id) {
  auto* e = s.element(id);
  if (!e || !e->from<element::Fill>()) throw Error("it is not a fill", "Choose a fill");
  return *e;
}

}  // namespace

std::vector<int> fillFromAll(shot::Shot& s, const std::string& id, int first) {
  auto& e = fillOf(s, id);
  auto& g = *e.from<element::Fill>();
  return g.frames = shot::framesToGather(s, e.place, g.plate, first);
}

void gatherFrom(shot::Shot& s, const std::string& id, const std::vector<int>& frames) {
  auto& g = *fillOf(s, id).from<element::Fill>();
  g.frames = frames;
  g.method = element::FillMethod::PartByPart;
}

}  // namespace zentil::edit
