#include "core/set/spot.h"

#include "core/exchange/export_choices.h"
#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence recipeOf(const Shot& shot, const set::Spot& spot, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "spots." + spot.id + ".";
  Sentence s = {SettingWords::plain("At")};
  for (const char* axis : {"x", "y", "z"}) s.push_back(w.number(path + "position." + axis));
  s.push_back(SettingWords::plain("turned"));
  for (const char* axis : {"x", "y", "z"}) s.push_back(w.number(path + "rotation." + axis));
  s.back().text += ",";
  s.push_back(SettingWords::plain("a square of"));
  s.push_back(w.number(path + "sizeM"));
  s.back().text += ";";
  s.push_back(SettingWords::plain("depth from"));
  std::vector<std::pair<std::string, std::string>> sources;
  for (const char* from : namesOf(set::DepthFrom{})) {
    const bool isHere = from == nameOf(spot.depth);
    if (from == nameOf(set::DepthFrom::Numbers) && !isHere) continue;
    if (from == nameOf(set::DepthFrom::Plate) && !isHere && shot.depthPlate.empty()) continue;
    sources.emplace_back(from, from);
  }
  s.push_back(SettingWords::special(path + "depth", std::string(nameOf(spot.depth)), sources));
  s.push_back(SettingWords::plain(spot.sigmaM > 0 ? fmt::format("\u00b1 {:.2g} m.", spot.sigmaM) : "."));
  return s;
}

Sentence exportRecipe(const Shot& shot) {
  const SettingWords w(shot, 0);
  // A word with what follows it at once.
  const auto then = [](Word word, const char* mark) {
    word.text += mark;
    return word;
  };
  const auto all = exchange::exportChoices();
  std::vector<std::pair<std::string, std::string>> names;
  for (const auto& [name, one] : all) names.emplace_back(name, name);
  Sentence s = {SettingWords::plain("Export camera, set and"),
                SettingWords::plain(shot.spots.size() == 1 ? "1 spot" : fmt::format("{} spots", shot.spots.size())),
                SettingWords::plain("by"),
                then(SettingWords::special("exportSettings.as", exchange::nameOfChoices(shot.exportSettings, all),
                                           names, "choices of its own"),
                     ":"),
                w.choice("exportSettings.up", {"Y", "Z"}),
                SettingWords::plain("up, axes of the"),
                w.choice("exportSettings.hand", {"right", "left"}),
                SettingWords::plain("hand,"),
                then(w.number("exportSettings.unitsPerM"), ","),
                SettingWords::plain("frame numbers changed by"),
                then(w.number("exportSettings.frameOffset"), ";"),
                SettingWords::plain("2D in"),
                w.choice("exportSettings.straight", {"the picture as shot", "the straight picture"}),
                SettingWords::plain("from the"),
                w.choice("exportSettings.from", {"top", "bottom"}),
                then(w.choice("exportSettings.unit", {"in pixels", "from 0 to 1"}), ";")};
  if (!shot.mattes.empty()) {
    s.push_back(SettingWords::plain("mattes blurred over"));
    s.push_back(then(w.number("exportSettings.shutterDegrees"), " of the shutter;"));
  }
  s.push_back(SettingWords::plain("into"));
  Word folder;
  folder.kind = Word::Kind::Name, folder.key = "exportSettings.folder", folder.text = shot.exportSettings.folder;
  s.push_back(folder);
  s.push_back(then(SettingWords::file("exportSettings.choose", "(choose)"), "."));
  return s;
}

}  // namespace zentil::wording
