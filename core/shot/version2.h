#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>

namespace zentil::shot {

/// A shot's JSON of file version 2 as version 3 says it: the same settings by the words that the screen uses. What is
/// not as it should be is carried over as it is, for the reader to name.
nlohmann::json fromVersion2(nlohmann::json shot);

/// The word that took the place of one of version 2, of a setting ("goes": "removal"), a kind ("held frame": "patch")
/// or an edit ("gatherAll": "fillFromAll"); empty where there is none.
std::string newWordFor(const std::string& old);

}  // namespace zentil::shot
