#pragma once
#include "core/shot/shot.h"
#include "core/solve/object.h"

namespace zentil::edit {

/// Puts it into the set: a box named "object" around its points, with a key on every frame, in the place of one that
/// was found before; its id. A shot whose camera had no pose has one that stands.
std::string takeObject(shot::Shot& shot, const solve::ObjectAnswer& answer);

}  // namespace zentil::edit
