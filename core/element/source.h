#pragma once
#include <variant>

#include "core/element/cg_settings.h"
#include "core/element/checker_settings.h"
#include "core/element/fill_settings.h"
#include "core/element/paint_settings.h"
#include "core/element/patch_settings.h"
#include "core/element/picture_settings.h"
#include "core/element/shadow_settings.h"

namespace zentil::element {

/// What an element shows: the one list of kinds. How each is made is in core/comp, in a file of its own name.
using Source = std::variant<Patch, Picture, Cg, Checker, Shadow, Fill, Paint>;

}  // namespace zentil::element
