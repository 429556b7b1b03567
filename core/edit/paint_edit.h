#pragma once
#include "core/element/paint_settings.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// What an element's paint consists of; null for an element that is not painted.
inline element::Paint* paintIn(element::Element& e) { return e.from<element::Paint>(); }
inline const element::Paint* paintIn(const element::Element& e) { return e.from<element::Paint>(); }
/// The same of the element with this id. Throws Error for one that is gone or not painted.
element::Paint& paintOf(shot::Shot& shot, const std::string& elementId);

/// A stroke of an element of paint (by id) on the frame it is painted on alone, or on all. Throws Error for what is
/// gone.
bool setOnlyHere(element::Element& e, std::string_view stroke, bool only);

}  // namespace zentil::edit
