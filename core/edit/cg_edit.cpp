#include "core/element/cg_settings.h"

#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Cg>(const shot::Shot&, const std::string&, int) {
  element::Element e;
  e.source = element::Cg{};
  e.place = element::throughCamera();
  e.name = "CG";
  return e;
}

template <>
bool isFromFiles<element::Cg>() {
  return true;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Cg>() {
  return {};
}

}  // namespace zentil::edit
