#pragma once
// Reaching a setting by its path, "look.opacity" or "surfaces.s1.position.x": to show it, to change it, to key it. What
// the window's words and the command's edits do goes through here, so that both have the same limits and words.
#include "core/value/json.h"
#include "core/value/text.h"

namespace zentil::value {

/// The setting at a path, to be looked at; nothing when the path leads nowhere.
template <typename T>
std::optional<Setting> find(const T& thing, std::string_view path) {
  return typeOf<T>().reach(const_cast<T*>(&thing), path, About{}, false);
}
/// The setting at a path, to be changed. Throws Error when the path leads nowhere.
Setting found(std::optional<Setting> setting, std::string_view path);
template <typename T>
Setting settingAt(T& thing, std::string_view path) {
  return found(typeOf<T>().reach(&thing, path, About{}, true), path);
}
/// The same; throws Error also for one that cannot be keyed.
Setting keyable(Setting setting, std::string_view path);
template <typename T>
Setting keyableAt(T& thing, std::string_view path) {
  return keyable(settingAt(thing, path), path);
}

/// What a setting is at a frame; nothing when the path leads nowhere.
template <typename T>
std::optional<Shown> shown(const T& thing, std::string_view path, int frame) {
  const auto s = find(thing, path);
  return s ? std::optional(s->shown(frame)) : std::nullopt;
}
/// Changes a setting as a person does at a frame: a key where it has keys, else for the whole shot. Numbers are in the
/// unit that is shown. Throws Error for what makes no sense, with nothing changed.
template <typename T>
void setText(T& thing, std::string_view path, const std::string& text, int frame) {
  settingAt(thing, path).setText(text, frame);
}
/// The same from JSON, as it is kept: {"keys": ...} replaces all of a setting's keys. Throws Error naming the setting.
template <typename T>
void setJson(T& thing, std::string_view path, const json& j, std::optional<int> frame,
             const std::filesystem::path& folder) {
  settingAt(thing, path).setJson(j, std::string(path), frame, folder);
}
/// The frames on which a setting has keys; empty when it has none or cannot have any.
template <typename T>
std::vector<int> keyFrames(const T& thing, std::string_view path) {
  const auto s = find(thing, path);
  return s ? s->keyFrames() : std::vector<int>();
}
/// Calls see(path, setting) for every setting below a thing that can be keyed.
template <typename T>
void eachKeyable(T& thing, const std::string& path, const Type::SeeKeyable& see) {
  typeOf<std::remove_const_t<T>>().eachKeyable(const_cast<std::remove_const_t<T>*>(&thing), path, About{}, see);
}

}  // namespace zentil::value
