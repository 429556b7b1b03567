#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

namespace zentil {

/// A file's JSON. Throws Error naming the file, with the byte from which on it cannot be read.
nlohmann::json readJson(const std::filesystem::path& file);

}  // namespace zentil
