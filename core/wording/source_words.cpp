#include "core/wording/source_words.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/trackers.h"
#include "core/value/path.h"

namespace zentil::wording {

Word coverWord(const element::Element& e, const SettingWords& w) {
  auto mattes = w.things("mattes");
  mattes.insert(mattes.begin(), {"", "everywhere"});
  return SettingWords::special("elements." + e.id + ".covered", e.matte(), mattes, "everywhere");
}

void addCover(Sentence& s, const element::Element& e, const SettingWords& w) {
  const matte::Matte* m = w.shot().matte(e.matte());
  if (m && !s.back().text.ends_with(',')) s.back().text += ",";
  s.push_back(SettingWords::plain(m ? "inside" : "shown"));
  s.push_back(coverWord(e, w));
  if (e.cover.size() > 1) s.push_back(SettingWords::plain(fmt::format("and {} more mattes", e.cover.size() - 1)));
  if (m && m->parts.size() == 1) {
    s.push_back(SettingWords::plain("softened"));
    s.push_back(w.number("mattes." + m->id + ".parts." + m->parts.front().id + ".softPx"));
  }
  s.back().text += ",";
}

void addRow(Sentence& s, const char* label) { s.push_back(SettingWords::plain(std::string("\u00b7 ") + label)); }

void endSentence(Sentence& s) {
  if (s.back().text.ends_with(',')) s.back().text.pop_back();
  s.back().text += '.';
}

void addMatch(Sentence& s, const element::Element& e, const SettingWords& w, bool follows) {
  (void)w;
  const bool has = e.look.hasMatch();
  std::vector<std::pair<std::string, std::string>> choices = {{"0", "its own"}, {"1", "matched in level"}};
  if (has) choices.emplace_back("again", "matched again on this frame");
  if (follows) {
    choices.emplace_back("level", "following the light around it");
    choices.emplace_back("slope", "following the light around it and across it");
  }
  std::string now = has && e.look.matched ? "1" : "0";
  if (e.look.matched && e.look.light == element::Light::Level) now = "level";
  if (e.look.matched && e.look.light == element::Light::Slope) now = "slope";
  addRow(s, "Level");
  s.push_back(SettingWords::special("elements." + e.id + ".match", now, std::move(choices)));
}

Word placeWord(const element::Element& e, const SettingWords& w, bool far) {
  std::vector<std::pair<std::string, std::string>> choices;
  for (const auto& [id, name] : w.things("surfaces")) choices.emplace_back("surface " + id, name);
  for (const auto& r : w.shot().regions) choices.emplace_back("region " + std::to_string(r.id), r.name);
  if (far) choices.emplace_back("infinity", "the far background"), choices.emplace_back("screen", "the screen");
  const int region = regionOf(e.place);
  return SettingWords::special("elements." + e.id + ".on",
                               region >= 0             ? "region " + std::to_string(region)
                               : isAtInfinity(e.place) ? "infinity"
                               : isOnScreen(e.place)   ? "screen"
                                                       : "surface " + e.surface(),
                               std::move(choices),
                               region >= 0             ? "a region that is gone"
                               : isOnScreen(e.place)   ? "the screen"
                               : isAtInfinity(e.place) ? "the far background"
                                                       : "no surface");
}

void addMerge(Sentence& s, const element::Element& e, const SettingWords& w) {
  addRow(s, "Blend");
  s.push_back(w.choice("elements." + e.id + ".look.merge", {}));
}

Sentence plateDetails(const element::Element& e, const SettingWords& w) {
  Sentence s = matchDetails(e, w);
  const std::string path = "elements." + e.id + ".source.";
  if (wantsSurface(e.place)) {
    addRow(s, "Source offset");
    s.push_back(w.number(path + "sourceOffsetM.acrossM"));
    s.push_back(SettingWords::plain("right,"));
    s.push_back(w.number(path + "sourceOffsetM.upM"));
    s.push_back(SettingWords::plain("up"));
  }
  if (w.shot().plates.size() > 1) {
    addRow(s, "Source plate");
    s.push_back(w.thing(path + "plate"));
  }
  return s;
}

void addGrain(Sentence& s, const element::Element& e, const SettingWords& w) {
  addRow(s, "Grain");
  s.push_back(w.choice("elements." + e.id + ".look.freshGrain", {"its own", "fresh grain"}));
  if (e.look.freshGrain) s.push_back(w.number("elements." + e.id + ".look.grain"));
}

void addStages(Sentence& s, const element::Element& e, const SettingWords& w) {
  element::eachStage(e.look, [&]<typename Stage>(const Stage&) {
    if constexpr (requires { Stage::kRow; }) {
      addRow(s, Stage::kRow.label);
      for (const auto& part : Stage::kRow.parts) {
        if (!part.setting) break;
        if (part.words && *part.words) s.push_back(SettingWords::plain(part.words));
        const std::string path = "elements." + e.id + ".look." + part.setting;
        const auto shown = value::shown(w.shot(), path, w.frame());
        const bool isChoice = shown && (shown->is == value::Shown::Is::Name || shown->is == value::Shown::Is::YesNo);
        std::vector<std::string> labels;
        if constexpr (requires { Stage::kChoices; })
          labels.assign(std::begin(Stage::kChoices), std::end(Stage::kChoices));
        s.push_back(isChoice ? w.choice(path, labels) : w.number(path));
      }
    }
  });
}

Sentence matchDetails(const element::Element& e, const SettingWords& w) {
  Sentence s;
  addRow(s, "Gain");
  // One for all of them, then each.
  const auto gain = e.look.gain.at(w.frame());
  Word all = w.number("elements." + e.id + ".look.gain.g");
  all.key = "elements." + e.id + ".gain";
  all.value = (gain[0] + gain[1] + gain[2]) / 3;
  all.text = fmt::format("{:.2f},", all.value);
  s.push_back(all);
  for (const char c : {'r', 'g', 'b'}) s.push_back(w.number("elements." + e.id + ".look.gain." + c));
  addRow(s, "Offset");
  for (const char c : {'r', 'g', 'b'}) s.push_back(w.number("elements." + e.id + ".look.offset." + c));
  addRow(s, "Saturation");
  s.push_back(w.number("elements." + e.id + ".look.saturation"));
  if (e.look.light != element::Light::AsSet) {
    addRow(s, "Light over");
    s.push_back(w.number("elements." + e.id + ".look.steadyFrames"));
    s.push_back(SettingWords::plain("to each side"));
  }
  return s;
}

void addLayers(Sentence& s, const std::string& path, const image::Plate& files) {
  if (files.layers.size() < 2) return;
  std::vector<std::pair<std::string, std::string>> layers;
  for (const auto& l : files.layers) layers.emplace_back(l, l.empty() ? "the nameless one" : l);
  addRow(s, "Layer");
  s.push_back(SettingWords::special(path, files.layer.empty() ? files.layers.front() : files.layer, layers));
}

}  // namespace zentil::wording
