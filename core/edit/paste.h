#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::edit {

/// Things of a shot (named as in things.h) as JSON that can be kept or taken to another shot. What they refer to comes
/// along: mattes, surfaces, regions. Where an element is among them, so do the surfaces that hold it out, the removal
/// mattes, and the shot's lens and camera, which paste() leaves aside unless they are asked for. Throws Error for a
/// thing that is not there.
nlohmann::json copied(const shot::Shot& shot, const std::vector<std::string>& things);

struct PasteOptions {
  bool lensAndCamera = false;  ///< the lens and the camera of the shot that was copied from replace this shot's
};
struct Pasted {
  std::vector<std::string> things;  ///< where the new things stand
  std::string words;                ///< what came along and what did not, for a person; empty: nothing but the things
};

/// Puts in what copied() gave, under ids of their own; everything that refers to them follows. A surface, region or
/// removal matte that this shot already has, the same by id and settings, is used instead. Throws Error, with nothing
/// changed, for text that copied() did not write.
Pasted paste(shot::Shot& shot, const nlohmann::json& text, const PasteOptions& options = {});

}  // namespace zentil::edit
