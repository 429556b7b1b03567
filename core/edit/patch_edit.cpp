#include "core/element/patch_settings.h"

#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Patch>(const shot::Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  e.source = element::Patch{frame, {}, {}};
  e.name = "Patch on " + nameOfPlace(shot, e.place);
  return e;
}

template <>
bool isFromFiles<element::Patch>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Patch>() {
  return {ElementAction::UseFrame,     ElementAction::FindBestFrame, ElementAction::FromElsewhere,
          ElementAction::SnapToRepeat, ElementAction::DrawMatte,     ElementAction::PutOnCard,
          ElementAction::CleanPicture, ElementAction::MattePictures};
}

}  // namespace zentil::edit
