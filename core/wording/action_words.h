#pragma once
#include "core/edit/element_kinds.h"

namespace zentil::wording {

/// An action on a button.
struct ActionWords {
  const char* name;  ///< short, for what is looked up: "useFrame"
  const char* label;
  const char* tip;
};
ActionWords wordsOf(edit::ElementAction action);

}  // namespace zentil::wording
