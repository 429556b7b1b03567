#include "core/wording/source_words.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/trackers.h"

namespace zentil::wording {

Word coverWord(const element::Element& e, const Wording& w) {
  auto mattes = w.things("mattes");
  mattes.insert(mattes.begin(), {"", "everywhere"});
  return Wording::special("elements." + e.id + ".covered", e.matte(), mattes, "everywhere");
}

void addCover(Sentence& s, const element::Element& e, const Wording& w) {
  const matte::Matte* m = w.shot().matte(e.matte());
  if (m && !s.back().text.ends_with(',')) s.back().text += ",";
  s.push_back(Wording::plain(m ? "inside" : "shown"));
  s.push_back(coverWord(e, w));
  if (e.cover.size() > 1) s.push_back(Wording::plain(fmt::format("and {} more mattes", e.cover.size() - 1)));
  if (m && m->parts.size() == 1) {
    s.push_back(Wording::plain("softened"));
    s.push_back(w.number("mattes." + m->id + ".parts." + m->parts.front().id + ".softPx"));
  }
  s.back().text += ",";
}

void addRow(Sentence& s, const char* label) { s.push_back(Wording::plain(std::string("\u00b7 ") + label)); }

void endSentence(Sentence& s) {
  if (s.back().text.ends_with(',')) s.back().text.pop_back();
  s.back().text += '.';
}

void addMatch(Sentence& s, const element::Element& e, const Wording& w, bool follows) {
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
  s.push_back(Wording::special("elements." + e.id + ".match", now, std::move(choices)));
}

Word placeWord(const element::Element& e, const Wording& w) {
  std::vector<std::pair<std::string, std::string>> choices;
  for (const auto& [id, name] : w.things("surfaces")) choices.emplace_back("surface " + id, name);
  for (const auto& r : w.shot().regions) choices.emplace_back("region " + std::to_string(r.id), r.name);
  const int region = regionOf(e.place);
  return Wording::special("elements." + e.id + ".on",
                          region >= 0 ? "region " + std::to_string(region) : "surface " + e.surface(),
                          std::move(choices),
                          region >= 0           ? "a region that is gone"
                          : isOnScreen(e.place) ? "the screen"
                                                : "no surface");
}

void addMerge(Sentence& s, const element::Element& e, const Wording& w) {
  addRow(s, "Blend");
  s.push_back(w.choice("elements." + e.id + ".look.merge", {}));
}

Sentence plateDetails(const element::Element& e, const Wording& w) {
  Sentence s = matchDetails(e, w);
  const std::string path = "elements." + e.id + ".source.";
  if (wantsSurface(e.place)) {
    addRow(s, "Source offset");
    s.push_back(w.number(path + "sourceOffsetM.acrossM"));
    s.push_back(Wording::plain("right,"));
    s.push_back(w.number(path + "sourceOffsetM.upM"));
    s.push_back(Wording::plain("up"));
  }
  if (w.shot().plates.size() > 1) {
    addRow(s, "Source plate");
    s.push_back(w.thing(path + "plate"));
  }
  return s;
}

void addGrain(Sentence& s, const element::Element& e, const Wording& w) {
  addRow(s, "Grain");
  s.push_back(w.choice("elements." + e.id + ".look.freshGrain", {"its own", "fresh grain"}));
  if (e.look.freshGrain) s.push_back(w.number("elements." + e.id + ".look.grain"));
}

Sentence matchDetails(const element::Element& e, const Wording& w) {
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
    s.push_back(Wording::plain("to each side"));
  }
  return s;
}

void addLayers(Sentence& s, const std::string& path, const image::Plate& files) {
  if (files.layers.size() < 2) return;
  std::vector<std::pair<std::string, std::string>> layers;
  for (const auto& l : files.layers) layers.emplace_back(l, l.empty() ? "the nameless one" : l);
  addRow(s, "Layer");
  s.push_back(Wording::special(path, files.layer.empty() ? files.layers.front() : files.layer, layers));
}

}  // namespace zentil::wording
