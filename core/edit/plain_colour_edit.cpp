#include "core/element/plain_colour_settings.h"

#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::PlainColour>(const shot::Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  element::PlainColour colour;
  colour.frame = frame;
  e.source = colour;
  e.name = "Plain colour on " + nameOfPlace(shot, e.place);
  return e;
}

template <>
bool isFromFiles<element::PlainColour>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::PlainColour>() {
  return {ElementAction::DrawMatte, ElementAction::MattePictures};
}

}  // namespace zentil::edit
