#include "core/element/gathered.h"

#include "core/base/error.h"
#include "core/edit/mend.h"
#include "core/shot/source_words.h"

namespace zentil::edit {
namespace {

element::Element& fillOf(shot::Shot& s, const std::string& id) {
  auto* e = s.element(id);
  if (!e || !e->from<element::Gathered>()) throw Error("it is not put together from frames", "Choose a fill");
  return *e;
}

}  // namespace

std::vector<int> gatherAll(shot::Shot& s, const std::string& id, int first) {
  auto& e = fillOf(s, id);
  auto& g = *e.from<element::Gathered>();
  return g.frames = shot::framesToGather(s, e.place, g.plate, first);
}

void gatherFrom(shot::Shot& s, const std::string& id, const std::vector<int>& frames) {
  auto& g = *fillOf(s, id).from<element::Gathered>();
  g.frames = frames;
  g.together = element::Together::OneEach;
}

}  // namespace zentil::edit
