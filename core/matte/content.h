#pragma once
#include <variant>

#include "core/matte/image_matte.h"
#include "core/matte/keyer.h"
#include "core/matte/roto_shapes.h"

namespace zentil::matte {

/// What a part of a matte consists of: the one list of kinds. A kind's name names its files: `matte/drawn.h` (its
/// settings), `shot/drawn.cpp` (what is said of it), `moment/drawn.cpp` (as it is on a frame), `comp/drawn.cpp` (how it
/// covers), `edit/drawn.cpp` (what is done to it). Each says whether it can ride anything but the screen (kCanRide).
using Content = std::variant<RotoShapes, ImageMatte, Keyer>;

}  // namespace zentil::matte
