#include "core/element/picture_settings.h"

#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Picture>(const shot::Shot& shot, const std::string& surface, int) {
  element::Element e;
  // In a picture of everything around there need not be a set.
  if (shot.projection == shot::Projection::Sphere && shot.surfaces.empty())
    e.place = element::inFlatView();
  else if (shot.surfaces.empty() && shot.regions.empty() && !shot.camera->empty())
    e.place = element::atInfinity();  // with a camera and no set, what is known is where it looks
  else
    e = onSurface(shot, surface);
  e.source = element::Picture{};
  e.name = "Picture";
  return e;
}

template <>
bool isFromFiles<element::Picture>() {
  return true;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Picture>() {
  return {ElementAction::DrawMatte, ElementAction::MattePictures};
}

}  // namespace zentil::edit
