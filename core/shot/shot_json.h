#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "core/shot/shot.h"

namespace zentil::shot {

/// Written into every file; a newer one is refused with a sentence, an older one is read.
constexpr int kFileVersion = 3;

/// The document as JSON; file names relative to `folder`.
nlohmann::json toJson(const Shot& shot, const std::filesystem::path& folder);

/// The document from JSON of this version or an older one; file names made absolute from `folder`; meshes and ST maps
/// are read. What is wrong in it loses itself and is named in the shot's `notes`. Throws Error only when it is no shot,
/// or one of a newer version.
Shot fromJson(const nlohmann::json& json, const std::filesystem::path& folder);

/// Reads a .zentil file. Throws Error naming the file: not there, cut short, no shot, of an unknown version.
Shot load(const std::filesystem::path& file);

/// Keeps a shot's file to one writer at a time, from reading it to saving it again: commands and windows, on one
/// machine or several that share the folder. Waits for the other. Where the folder may not be written to there is
/// nothing to keep. Throws Error when the other does not end within a minute.
class Lock {
 public:
  explicit Lock(const std::filesystem::path& shotFile);
  ~Lock();
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;

 private:
  std::filesystem::path file_;
  int descriptor_ = -1;
};

/// Writes a .zentil file beside its name and then names it. Throws Error for numbers that are none.
void save(const Shot& shot, const std::filesystem::path& file);

}  // namespace zentil::shot
