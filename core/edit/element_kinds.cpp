#include "core/edit/element_kinds.h"

#include "core/base/error.h"

namespace zentil::edit {
namespace {

/// Runs run(identity<Kind>) for every kind there is.
template <typename Run, typename... Kinds>
void eachKind(std::type_identity<std::variant<Kinds...>>, const Run& run) {
  (run(std::type_identity<Kinds>()), ...);
}

}  // namespace

std::vector<ElementAction> actionsOf(const element::Element& e) {
  return std::visit([]<typename Kind>(const Kind&) { return actionsOfKind<Kind>(); }, e.source);
}

element::Element freshElement(const shot::Shot& shot, const std::string& kind, const std::string& surface, int frame) {
  std::optional<element::Element> out;
  eachKind(std::type_identity<element::Source>(), [&]<typename Kind>(std::type_identity<Kind>) {
    if (kind == Kind::kKind) out = freshOfKind<Kind>(shot, surface, frame);
  });
  if (!out) throw Error(fmt::format("there is no kind of element \"{}\"", kind), "Name an existing one");
  out->id = freshId(shot, 'e');
  return *out;
}

element::Element onSurface(const shot::Shot& shot, const std::string& surface) {
  if ((shot.camera->empty() || shot.surfaces.empty()) && !shot.regions.empty()) {
    element::Element e;
    e.place = element::onRegion(shot.regions.front().id);
    return e;
  }
  if (shot.camera->empty())
    throw Error("an element needs a camera", "Solve one at Camera, load one, or use Static camera");
  if (shot.surfaces.empty()) throw Error("an element lands on a surface", "Aim a plane at Set first");
  element::Element e;
  e.place = element::onSurface(shot.surface(surface) ? surface : shot.surfaces.front().id);
  return e;
}

}  // namespace zentil::edit
