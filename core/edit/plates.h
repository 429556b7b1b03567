#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// Adds a plate; its id. Throws Error when it cannot be read.
std::string addPlate(shot::Shot& shot, const std::string& file, const std::string& name);

/// Puts other files in a plate's place; everything else of the shot stays. Frames keep their numbers; where none of the
/// shot's would be left, the first of the new files stands where the first of the old stood. A shot that worked on all
/// of the old plate works on all of the new one. Throws Error when the files cannot be read, or are of another size
/// than the pixels in which tracks, mattes and lens are kept.
void relinkPlate(shot::Shot& shot, const std::string& id, const std::string& file);

/// True when a plate's files are not where they are said to be: neither the first, nor the last, nor one between.
bool isAway(const shot::PlateUse& plate);

/// Where the files of a plate that is away may be: under the same names beside the shot or in a folder below, three
/// deep. Nothing when they are nowhere there.
std::optional<std::string> lookForPlate(const shot::PlateUse& plate, const std::filesystem::path& shotFolder);

}  // namespace zentil::edit
