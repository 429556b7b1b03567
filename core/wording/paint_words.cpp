#include "core/element/paint_settings.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/error.h"
#include "core/wording/recipe.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using PaintWords = SourceWords<element::Paint>;
using element::BrushTool;

/// What a kind of stroke asks for, after its name.
void addInk(Sentence& s, const element::Brush& b, const std::string& path, const SettingWords& w) {
  switch (b.tool) {
    case BrushTool::Clone:
      s.push_back(SettingWords::plain("from"));
      s.push_back(w.number(path + "offset.x"));
      s.push_back(SettingWords::plain("to the right,"));
      s.push_back(w.number(path + "offset.y"));
      s.push_back(SettingWords::plain("down,"));
      s.push_back(w.choice(path + "otherFrame", {"on the same frame", "on frame"}));
      if (b.otherFrame) s.push_back(w.number(path + "fromFrame"));
      break;
    case BrushTool::Colour:
      s.push_back(SettingWords::plain("of"));
      for (const char* c : {"r", "g", "b"}) s.push_back(w.number(path + "colour." + c));
      break;
    case BrushTool::Light:
      s.push_back(SettingWords::plain("by"));
      s.push_back(w.number(path + "stops"));
      break;
    case BrushTool::Blur:
      s.push_back(SettingWords::plain("by"));
      s.push_back(w.number(path + "blurPx"));
      break;
    case BrushTool::Smear:
      s.push_back(SettingWords::plain("by"));
      s.push_back(w.number(path + "smear"));
      break;
    default:
      break;
  }
}
}  // namespace

template <>
const char* PaintWords::noun() {
  return "paint";
}
template <>
const char* PaintWords::tip() {
  return "Paint on this frame; strokes follow the selected surface";
}
template <>
Sentence PaintWords::sentence(const element::Element& e, const element::Paint& p, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".", brush = path + "source.brush.";
  Sentence s = {SettingWords::plain("Paint on"), placeWord(e, w), SettingWords::plain("on"),
                w.number(path + "source.frame", "frame ")};
  size_t hidden = 0;
  for (const auto& k : p.strokes) hidden += !k.on;
  s.push_back(SettingWords::plain(
      fmt::format("({}{});", p.strokes.size() == 1 ? "1 stroke" : fmt::format("{} strokes", p.strokes.size()),
                  hidden ? fmt::format(", {} hidden", hidden) : "")));
  s.push_back(SettingWords::plain("brush:"));
  s.push_back(w.choice(brush + "tool", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                        "remove a line", "remove a shadow"}));
  addInk(s, p.brush, brush, w);
  s.push_back(SettingWords::plain("of"));
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(SettingWords::plain("size, hardness"));
  s.push_back(w.number(brush + "hardness"));
  s.push_back(SettingWords::plain("opacity"));
  s.push_back(w.number(brush + "opacity"));
  s.back().text += ",";
  addCover(s, e, w);
  endSentence(s);
  return s;
}

Sentence recipeOf(const Shot& shot, const element::Element& e, const element::Stroke& k, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "elements." + e.id + ".source.strokes." + k.id + ".", brush = path + "brush.";
  Sentence s = {w.choice(path + "on", {"Hidden:", "Shown:"}),
                w.choice(brush + "tool", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                          "remove a line", "remove a shadow"})};
  addInk(s, k.brush, brush, w);
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(SettingWords::plain("size, opacity"));
  s.push_back(w.number(brush + "opacity"));
  s.push_back(SettingWords::special(path + "only", k.range.count() ? "1" : "0",
                                    {{"0", "on all frames"}, {"1", "on its own frame alone"}}));
  return s;
}

template <>
Sentence PaintWords::details(const element::Element& e, const element::Paint& p, const SettingWords& w) {
  const std::string brush = "elements." + e.id + ".source.brush.";
  Sentence s;
  addRow(s, "Brush flow");
  s.push_back(w.number(brush + "flow"));
  addRow(s, "Dab spacing");
  s.push_back(w.number(brush + "spacing"));
  s.push_back(SettingWords::plain("of its size"));
  addRow(s, "Pressure");
  s.push_back(w.choice(brush + "pressure", {"off", "size", "flow", "size and flow"}));
  addMatch(s, e, w, isCarried(e.place));
  addGrain(s, e, w);
  addMerge(s, e, w);
  if (p.brush.otherFrame) {
    addRow(s, "Clone plate");
    s.push_back(w.thing(brush + "fromPlate"));
  }
  if (!p.returned.empty()) {
    s.push_back(SettingWords::plain("Painted elsewhere:"));
    s.push_back(SettingWords::file("elements." + e.id + ".source.returned",
                                   std::filesystem::path(p.returned).filename().string()));
  }
  return s;
}

template <>
std::optional<int> PaintWords::pin(const element::Paint& p) {
  return p.frame;
}

}  // namespace zentil::wording
