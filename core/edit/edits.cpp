#include "core/edit/edits.h"

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/edit/edit_reading.h"
#include "core/edit/things.h"
#include "core/shot/source_files.h"
#include "core/shot/version2.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

/// "\"goes\" is \"removal\" now" for the first word of older files in an edit that a problem names; empty where there
/// is none.
std::string newWordIn(const json& edit, const std::string& problem) {
  const auto say = [&](const std::string& text) -> std::string {
    for (size_t at = 0; at <= text.size();) {
      const size_t end = std::min(text.find('.', at), text.size());
      const std::string word = text.substr(at, end - at), now = shot::newWordFor(word);
      if (!now.empty() && problem.find(word) != std::string::npos)
        return fmt::format("\"{}\" is \"{}\" now", word, now);
      at = end + 1;
    }
    return {};
  };
  if (edit.is_string()) return say(edit.get<std::string>());
  if (!edit.is_structured()) return {};
  for (const auto& [key, value] : edit.items()) {
    std::string found = edit.is_object() ? say(key) : std::string();
    if (found.empty()) found = newWordIn(value, problem);
    if (!found.empty()) return found;
  }
  return {};
}

json one(Shot& s, const json& e, const Context& c) {
  if (!e.is_object()) throw Error("an edit is an object", "Write {\"set\": ...}");
  for (const auto& edits : {settingEdits(), setEdits(), cameraEdits(), elementEdits()})
    for (const Edit& edit : edits)
      if (e.contains(edit.word)) return edit.make(s, e, c);
  throw Error(fmt::format("{} is no edit", e.dump().substr(0, 80)), "See zentil-batch edit --help");
}

}  // namespace

json apply(Shot& shot, const json& edits, const Context& context) {
  if (!edits.is_array()) throw Error("edits are a list", "Write [{...}, ...]");
  Shot next = shot;
  json answers = json::array();
  for (size_t i = 0; i < edits.size(); ++i) {
    try {
      const Shot before = next;
      answers.push_back(one(next, edits[i], context));
      if (const auto problems = shot::openSourceFiles(next); !problems.empty())
        throw Error(problems.front(), "Name a file that is there");
      followNames(before, next);
    } catch (const Error& e) {
      const std::string renamed = newWordIn(edits[i], e.problem());
      throw Error(fmt::format("edit {}: {}", i + 1, e.problem()), renamed.empty() ? e.remedy() : renamed);
    } catch (const json::exception& e) {
      throw Error(fmt::format("edit {}: {}", i + 1, e.what()), "Correct it");
    }
  }
  shot = std::move(next);
  return answers;
}

}  // namespace zentil::edit
