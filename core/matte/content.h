#pragma once
#include <variant>

#include "core/matte/gradient.h"
#include "core/matte/image_matte.h"
#include "core/matte/keyer.h"
#include "core/matte/roto_shapes.h"

namespace zentil::matte {

/// What a part of a matte consists of: the one list of kinds. A kind's name names its files: `matte/keyer.h` (its
/// settings), `shot/keyer_problems.cpp` (what can be wrong with it), `evaluate/keyer_evaluate.cpp` (as it is on a
/// frame), `comp/keyer_render.cpp` (how it covers), `edit/keyer_edit.cpp` (how it is begun and changed),
/// `wording/keyer_words.cpp` (its words on the screen). Each says whether it can follow anything but the screen
/// (kCanFollow).
using Content = std::variant<RotoShapes, ImageMatte, Keyer, Gradient>;

}  // namespace zentil::matte
