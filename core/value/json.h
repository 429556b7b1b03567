#pragma once
// Described settings as JSON, both ways. Reading never fails as a whole: what is wrong loses itself, is noted by its
// key, and leaves what was there.
#include <nlohmann/json.hpp>

#include "core/value/type.h"

namespace zentil::value {

/// Files are written relative to the folder.
template <typename T>
json write(const T& value, const About& about, const std::filesystem::path& folder) {
  return typeOf<T>().write(&value, about, folder);
}
template <typename T>
bool read(const json& j, T& into, const About& about, Reading& reading) {
  return typeOf<T>().read(j, &into, about, reading);
}

}  // namespace zentil::value
