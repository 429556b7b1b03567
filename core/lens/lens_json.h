#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "core/lens/lens.h"

namespace zentil::lens {

/// A lens as it stands in lens files: its settings, and the names of ST maps, relative to `folder`.
nlohmann::json toJson(const Lens& lens, const std::filesystem::path& folder);
/// Reads it, without its ST maps. Throws Error or nlohmann's exceptions.
Lens lensFrom(const nlohmann::json& json);

/// The names and size of ST maps.
nlohmann::json mapsToJson(const LensMaps& maps, const std::filesystem::path& folder);
/// Reads ST maps by their names for a plate of this size. When the pictures cannot be read `problem` says why, and the
/// names are kept with empty tables, through which nothing leads anywhere. Throws Error or nlohmann's exceptions for
/// JSON that names none.
std::shared_ptr<const LensMaps> mapsFrom(const nlohmann::json& json, const std::filesystem::path& folder,
                                         int plateWidth, int plateHeight, std::string& problem);

}  // namespace zentil::lens
