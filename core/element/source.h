#pragma once
#include <variant>

#include "core/element/cg_settings.h"
#include "core/element/checker_settings.h"
#include "core/element/fill_settings.h"
#include "core/element/paint_settings.h"
#include "core/element/patch_settings.h"
#include "core/element/picture_settings.h"
#include "core/element/plain_colour_settings.h"
#include "core/element/shadow_settings.h"

namespace zentil::element {

/// What an element shows: the one list of kinds. A kind's name names its files: `element/fill_settings.h` (its settings
/// and what it needs), `shot/fill_problems.cpp` (what can be wrong with it), `comp/fill_render.cpp` (how it is made),
/// `edit/fill_edit.cpp` (how it is begun and what can be done with it), `wording/fill_words.cpp` (its words on the
/// screen).
using Source = std::variant<Patch, Picture, Cg, Checker, Shadow, Fill, Paint, PlainColour>;

/// Whether it is put together from many frames: kinds that are say so (kFromManyFrames).
inline bool isFromManyFrames(const Source& source) {
  return std::visit(
      []<typename Kind>(const Kind&) {
        return requires { Kind::kFromManyFrames; };
      },
      source);
}

}  // namespace zentil::element
