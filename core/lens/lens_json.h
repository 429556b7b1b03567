#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "core/lens/lens.h"

namespace zentil::lens {

/// A lens as it stands in our JSON, in lens files and in shots: model, k1 to p2, and where they are used squeeze, keys
/// and the names of ST maps, relative to `folder`.
nlohmann::json toJson(const Lens& lens, const std::filesystem::path& folder);

/// Reads it. ST maps are read for a plate of this size (0: they are left out); what is wrong with them goes into
/// `problem` and the rest is kept. Throws Error or nlohmann's exceptions for the rest.
Lens lensFrom(const nlohmann::json& json, const std::filesystem::path& folder, int plateWidth, int plateHeight,
              std::string* problem = nullptr);

}  // namespace zentil::lens
