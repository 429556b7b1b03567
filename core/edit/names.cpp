// Names that were not chosen by hand follow what they name.
#include "core/edit/set_word.h"

namespace zentil::edit {
namespace {

/// What follows "Patch on " and the like in an element's name, when that is its surface's name.
bool namesItsSurface(const shot::Shot& s, const element::Element& e, std::string& before) {
  const auto* on = s.surface(e.surface());
  if (!on || on->name.empty()) return false;
  const std::string end = " on " + on->name;
  if (!e.name.ends_with(end)) return false;
  before = e.name.substr(0, e.name.size() - on->name.size());
  return true;
}

}  // namespace

void followNames(const shot::Shot& before, shot::Shot& after) {
  for (auto& e : after.elements) {
    const auto* was = before.element(e.id);
    if (!was) continue;
    std::string stem;
    if (e.name == was->name && namesItsSurface(before, *was, stem))
      if (const auto* on = after.surface(e.surface())) e.name = stem + on->name;
    if (e.name == was->name) continue;
    for (const auto& c : e.cover) {
      auto* m = after.matte(c.matte);
      const auto* old = before.matte(c.matte);
      if (m && old && m->name == old->name && m->name == was->name + " outline") m->name = e.name + " outline";
    }
  }
}

}  // namespace zentil::edit
