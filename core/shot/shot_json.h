#pragma once
#include <filesystem>
#include <nlohmann/json.hpp>

#include "core/shot/shot.h"

namespace zentil::shot {

/// Written into every file; a newer one is refused with a sentence.
constexpr int kFileVersion = 1;

/// The document as JSON; file names relative to `folder`.
nlohmann::json toJson(const Shot& shot, const std::filesystem::path& folder);

/// The document from JSON; file names made absolute from `folder`; meshes are read. Throws Error that says which entry
/// is wrong. A mesh that cannot be read is left empty, and problemsOf names it.
Shot fromJson(const nlohmann::json& json, const std::filesystem::path& folder);

/// Reads a .zentil file. Throws Error naming the file: not there, cut short, of an unknown version, with a wrong entry.
Shot load(const std::filesystem::path& file);

/// Writes a .zentil file beside its name and then names it.
void save(const Shot& shot, const std::filesystem::path& file);

/// A content key of everything that pictures of the shot depend on.
uint64_t picturesHash(const Shot& shot);

/// A content key of everything that a frame's finished picture depends on.
uint64_t recipeHash(const Shot& shot, int frame);

}  // namespace zentil::shot
