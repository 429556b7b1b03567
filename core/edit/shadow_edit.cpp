#include "core/element/shadow_settings.h"

#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Shadow>(const shot::Shot& shot, const std::string& surface, int) {
  element::Element e = onSurface(shot, surface);
  e.source = element::Shadow{};
  e.name = "Shadow on " + nameOfPlace(shot, e.place);
  return e;
}

template <>
bool isFromFiles<element::Shadow>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Shadow>() {
  return {ElementAction::DrawMatte, ElementAction::MeasureShadow, ElementAction::MattePictures};
}

}  // namespace zentil::edit
