#pragma once
#include <nlohmann/json_fwd.hpp>

namespace zentil::shot {

/// A shot's JSON of file version 1 as version 2 says it: one plate became a list, an element's flat settings its
/// source, place, cover and look, a matte's shapes and pictures its parts. What is not as it should be is carried over
/// as it is, for the reader to name.
nlohmann::json fromVersion1(nlohmann::json shot);

}  // namespace zentil::shot
