#pragma once
#include <variant>

#include "core/matte/drawn.h"
#include "core/matte/keyed.h"
#include "core/matte/pictured.h"

namespace zentil::matte {

/// What a part of a matte consists of: the one list of kinds. A kind's name names its files: `matte/drawn.h` (its
/// settings), `shot/drawn.cpp` (what is said of it), `moment/drawn.cpp` (as it is on a frame), `comp/drawn.cpp` (how it
/// covers), `edit/drawn.cpp` (what is done to it). Each says whether it can ride anything but the screen (kCanRide).
using Content = std::variant<Drawn, Pictured, Keyed>;

}  // namespace zentil::matte
