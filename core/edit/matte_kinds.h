#pragma once
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// A part's content as it is begun on a frame; each kind's own file (keyer_edit.cpp, ...) defines it.
template <typename Content>
Content freshContent(const shot::Shot& shot, int frame);

/// A part of a kind (by its kKind) added to a matte; its id. Throws Error for what is no kind, and for a matte that is
/// gone.
std::string addPartOf(shot::Shot& shot, const std::string& kind, const std::string& matteId, int frame);

}  // namespace zentil::edit
