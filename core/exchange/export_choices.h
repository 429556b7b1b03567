#pragma once
#include <filesystem>
#include <map>
#include <string>

#include "core/shot/shot.h"

namespace zentil::exchange {

using shot::ExportSettings;

/// How things are handed on, by name: some that ship, and those that a person kept, for all shots.
using ExportChoices = std::map<std::string, ExportSettings>;

/// Where a person's are kept: zentil/exports.json in the place for settings (XDG Base Directory Specification 0.8).
std::filesystem::path exportChoicesFile();
/// Those that ship and those in the file; a file that is not there, or damaged, has none. One of the same name stands
/// in the place of one that ships.
ExportChoices exportChoices(const std::filesystem::path& file = exportChoicesFile());
/// Keeps one under a name, in the place of what it was there. Throws Error without a name, for a file that is none of
/// these, and where it cannot be written.
void keepExportChoices(const std::string& name, const ExportSettings& exportSettings,
                       const std::filesystem::path& file = exportChoicesFile());
/// The name that a shot's are kept under; empty for none.
std::string nameOfChoices(const ExportSettings& exportSettings, const ExportChoices& all);

/// Where a shot hands on into: `{shot}` in its folder stands for its name, `{version}` for the number at the end of its
/// file's name (hall_v003.zentil: 003). Throws Error where that has none.
std::filesystem::path exportFolder(const shot::Shot& shot, const std::filesystem::path& shotFile);

}  // namespace zentil::exchange
