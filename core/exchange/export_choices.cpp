#include "core/exchange/export_choices.h"

#include <fmt/format.h>

#include <cstdlib>
#include <nlohmann/json.hpp>
#include <regex>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"
#include "core/value/json.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::exchange {
namespace {

json readKept(const fs::path& file) {
  std::error_code ec;
  if (!fs::exists(file, ec)) return json::object();
  const std::string text = readText(file);
  refuseDeepNesting(text, file.string());
  return json::parse(text, nullptr, false);
}

void replaceAll(std::string& text, const std::string& what, const std::string& by) {
  for (size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
}

}  // namespace

fs::path exportChoicesFile() {
  const char *settings = std::getenv("XDG_CONFIG_HOME"), *home = std::getenv("HOME");
  // A relative one is to be ignored, says the specification.
  const fs::path base =
      settings && fs::path(settings).is_absolute() ? fs::path(settings) : fs::path(home ? home : ".") / ".config";
  return base / "zentil" / "exports.json";
}

ExportChoices exportChoices(const fs::path& file) {
  ExportChoices out;
  out["Y up, metres"] = {};
  out["Z up, metres"].up = shot::UpAxis::Z;
  out["Y up, centimetres"].unitsPerM = 100;
  out["Z up, centimetres, left hand"] = {.up = shot::UpAxis::Z, .hand = shot::Handedness::Left, .unitsPerM = 100};
  json kept;
  try {
    kept = readKept(file);
  } catch (const Error&) {
    return out;
  }
  if (!kept.is_object()) return out;
  for (const auto& [name, j] : kept.items()) {
    ExportSettings one;
    value::Reading reading{fs::path()};
    if (value::read(j, one, {}, reading)) out[name] = one;
  }
  return out;
}

void keepExportChoices(const std::string& name, const ExportSettings& exportSettings, const fs::path& file) {
  if (name.find_first_not_of(" \t") == std::string::npos) throw Error("they have no name", "Type one");
  json kept = readKept(file);
  if (!kept.is_object())
    throw Error(fmt::format("{} is not what was kept there", file.string()), "Move it away, and keep them again");
  kept[name] = value::write(exportSettings, {}, fs::path());
  std::error_code ec;
  fs::create_directories(file.parent_path(), ec);
  writeText(file, kept.dump(1) + "\n");
}

std::string nameOfChoices(const ExportSettings& exportSettings, const ExportChoices& all) {
  // Where to is the shot's own matter.
  for (const auto& [name, one] : all) {
    ExportSettings there = one;
    there.folder = exportSettings.folder;
    if (there == exportSettings) return name;
  }
  return {};
}

fs::path exportFolder(const shot::Shot& s, const fs::path& shotFile) {
  std::string folder = s.exportSettings.folder;
  replaceAll(folder, "{shot}", asFileName(s.name.empty() ? "shot" : s.name));
  if (folder.find("{version}") != std::string::npos) {
    static const std::regex kVersion(R"(.*[vV](\d+)$)");
    std::smatch m;
    const std::string stem = shotFile.stem().string();
    if (!std::regex_match(stem, m, kVersion))
      throw Error(fmt::format("the folder asks for a version, and \"{}\" has none", shotFile.filename().string()),
                  "Save the shot as NAME_v001.zentil, or take {version} out of the folder");
    replaceAll(folder, "{version}", m[1]);
  }
  return resolve(folder, fs::absolute(shotFile).parent_path());
}

}  // namespace zentil::exchange
