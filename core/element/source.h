#pragma once
#include <variant>

#include "core/element/checker.h"
#include "core/element/gathered.h"
#include "core/element/held_frame.h"
#include "core/element/paint.h"
#include "core/element/picture.h"
#include "core/element/relit.h"
#include "core/element/render.h"

namespace zentil::element {

/// What an element shows: the one list of kinds. How each is made is in core/comp, in a file of its own name.
using Source = std::variant<HeldFrame, Picture, Render, Checker, Relit, Gathered, Paint>;

}  // namespace zentil::element
