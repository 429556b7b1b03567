#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::edit {

/// Changes one setting, named by its path in the shot ("elements.e1.look.opacity", "surfaces.s1.position.x"); `value`
/// as the word's chosen value, or a number as text in the unit shown. A setting with keys gets one at `frame`. Throws
/// Error for a value that makes no sense, with nothing changed. Besides settings there are
///   elements.ID.match     "0": gain and offset are nothing again
///   elements.ID.source.strokes.ID.only   "1": a stroke shows on the frame it is painted on alone; "0": on all
///   elements.ID.covered   a matte's id, or "" for everywhere
///   mattes.ID.parts.ID.follow   "screen", "surface" or "region N"
///   delivery.ending       ".exr"
void setWord(shot::Shot& shot, const std::string& path, const std::string& value, int frame);

/// Names in `after` that were made of others' ("Patch on wall", "Patch on wall outline") follow those that changed.
void followNames(const shot::Shot& before, shot::Shot& after);

/// The things of one of the shot's lists, by its name ("surfaces", "mattes", ...): id and name. Empty for what is no
/// list.
std::vector<std::pair<std::string, std::string>> thingsOf(const shot::Shot& shot, const std::string& list);

}  // namespace zentil::edit
