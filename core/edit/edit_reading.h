#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/error.h"
#include "core/edit/edits.h"
#include "core/value/json.h"

/// What the edits that are written down as JSON are made of: the words of one edit, read with errors that name them.
namespace zentil::edit {

/// A word by which an edit is named, and what it does. An edit that has two of these words is the first of them.
struct Edit {
  const char* word;
  /// The answer is JSON: an identifier, measured values, or null.
  nlohmann::json (*make)(shot::Shot& shot, const nlohmann::json& edit, const Context& context);
};
/// Settings, keys and the lists of a shot.
std::span<const Edit> settingEdits();
/// Surfaces, spots and how the world stands.
std::span<const Edit> setEdits();
/// Plates, camera, lens, tracks and the move.
std::span<const Edit> cameraEdits();
/// Elements, mattes, paint, and what is measured for them.
std::span<const Edit> elementEdits();

/// Text under a key; throws where it is something else.
std::string textOf(const nlohmann::json& edit, const char* key, const std::string& otherwise = {});
/// "frame", where there is one.
std::optional<int> frameOf(const nlohmann::json& edit);
/// "frame"; throws where there is none.
int needFrame(const nlohmann::json& edit);
/// [[x, y], ...]
std::vector<Vec2> placesOf(const nlohmann::json& list);
/// "as": settings of what an edit makes; an empty object where there are none.
nlohmann::json asOf(const nlohmann::json& edit);

/// Puts settings into a thing; throws where one is unknown or not as it should be.
template <typename T>
void readSettings(const nlohmann::json& as, T& thing, const Context& c) {
  value::Reading reading(c.folder);
  value::read(as, thing, {}, reading);
  if (!reading.notes().empty()) throw Error(reading.notes().front(), "Correct it");
  const auto isNone = [](const std::string& key) {
    throw Error(fmt::format("{} is no setting of it", key), "Leave it out");
  };
  if constexpr (requires { thing.unknown; }) {
    if (!thing.unknown.text.empty()) isNone(thing.unknown.text);
  } else {
    // One that is not kept keeps nothing that it does not know either.
    const nlohmann::json known = value::write(thing, {}, c.folder);
    for (const auto& [key, _] : as.items())
      if (!known.contains(key)) isNone(key);
  }
}

template <typename List>
auto findIn(List& list, std::string_view id) {
  const auto it = std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
  if (it == list.end()) throw Error(fmt::format("there is no \"{}\"", id), "Name an existing one");
  return it;
}

}  // namespace zentil::edit
