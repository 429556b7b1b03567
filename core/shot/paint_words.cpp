#include "core/element/paint_settings.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/error.h"
#include "core/shot/recipe.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using PaintWords = SourceWords<element::Paint>;
using element::BrushTool;

/// What a kind of stroke asks for, after its name.
void addInk(Sentence& s, const element::Brush& b, const std::string& path, const Wording& w) {
  switch (b.tool) {
    case BrushTool::Clone:
      s.push_back(Wording::plain("from"));
      s.push_back(w.number(path + "offset.x"));
      s.push_back(Wording::plain("to the right,"));
      s.push_back(w.number(path + "offset.y"));
      s.push_back(Wording::plain("down,"));
      s.push_back(w.choice(path + "otherFrame", {"on the same frame", "on frame"}));
      if (b.otherFrame) s.push_back(w.number(path + "fromFrame"));
      break;
    case BrushTool::Colour:
      s.push_back(Wording::plain("of"));
      for (const char* c : {"r", "g", "b"}) s.push_back(w.number(path + "colour." + c));
      break;
    case BrushTool::Light:
      s.push_back(Wording::plain("by"));
      s.push_back(w.number(path + "stops"));
      break;
    case BrushTool::Blur:
      s.push_back(Wording::plain("by"));
      s.push_back(w.number(path + "blurPx"));
      break;
    case BrushTool::Smear:
      s.push_back(Wording::plain("by"));
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
bool PaintWords::fromFiles() {
  return false;
}

template <>
Sentence PaintWords::sentence(const element::Element& e, const element::Paint& p, const Wording& w) {
  const std::string path = "elements." + e.id + ".", brush = path + "source.brush.";
  Sentence s = {Wording::plain("Paint on"), placeWord(e, w), Wording::plain("on"),
                w.number(path + "source.frame", "frame ")};
  size_t hidden = 0;
  for (const auto& k : p.strokes) hidden += !k.on;
  s.push_back(Wording::plain(
      fmt::format("({}{});", p.strokes.size() == 1 ? "1 stroke" : fmt::format("{} strokes", p.strokes.size()),
                  hidden ? fmt::format(", {} hidden", hidden) : "")));
  s.push_back(Wording::plain("brush:"));
  s.push_back(w.choice(brush + "tool", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                        "remove a line", "remove a shadow"}));
  addInk(s, p.brush, brush, w);
  s.push_back(Wording::plain("of"));
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(Wording::plain("size, hardness"));
  s.push_back(w.number(brush + "hardness"));
  s.push_back(Wording::plain("opacity"));
  s.push_back(w.number(brush + "opacity"));
  s.back().text += ",";
  addCover(s, e, w);
  endSentence(s);
  return s;
}

bool setOnlyHere(element::Element& e, std::string_view stroke, bool only) {
  auto* paint = e.from<element::Paint>();
  auto* k = paint ? paint->stroke(std::string(stroke)) : nullptr;
  if (!k) throw Error(fmt::format("\"{}\" has no stroke \"{}\"", e.name, stroke), "Name one that it has");
  k->range = only ? FrameRange{paint->frame, paint->frame} : FrameRange{};
  return true;
}

Sentence recipeOf(const Shot& shot, const element::Element& e, const element::Stroke& k, int frame) {
  const Wording w(shot, frame);
  const std::string path = "elements." + e.id + ".source.strokes." + k.id + ".", brush = path + "brush.";
  Sentence s = {w.choice(path + "on", {"Hidden:", "Shown:"}),
                w.choice(brush + "tool", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                          "remove a line", "remove a shadow"})};
  addInk(s, k.brush, brush, w);
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(Wording::plain("size, opacity"));
  s.push_back(w.number(brush + "opacity"));
  s.push_back(Wording::special(path + "only", k.range.count() ? "1" : "0",
                               {{"0", "on all frames"}, {"1", "on its own frame alone"}}));
  return s;
}

template <>
Sentence PaintWords::details(const element::Element& e, const element::Paint& p, const Wording& w) {
  const std::string brush = "elements." + e.id + ".source.brush.";
  Sentence s;
  addRow(s, "Brush flow");
  s.push_back(w.number(brush + "flow"));
  addRow(s, "Dab spacing");
  s.push_back(w.number(brush + "spacing"));
  s.push_back(Wording::plain("of its size"));
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
    s.push_back(Wording::plain("Painted elsewhere:"));
    s.push_back(
        Wording::file("elements." + e.id + ".source.returned", std::filesystem::path(p.returned).filename().string()));
  }
  return s;
}

template <>
std::vector<Action> PaintWords::actions() {
  return {{"paint", "Paint", "Take the brush in hand; Alt and a click say where a clone is taken from"},
          {"takeStrokes", "Remove the last stroke", "Takes the last stroke out; undo brings it back"},
          {"sendOut", "Send to a painter\u2026",
           "Writes this frame for a paint program. When it is saved there, the changes are read back"},
          {"drawMatte", "Draw its matte", "Click around the part that may show; click the first point to close"}};
}

template <>
void PaintWords::problems(const element::Element& e, const element::Paint& p, const Shot& shot,
                          std::vector<Problem>& out) {
  const auto say = [&](const std::string& what) { out.push_back({fmt::format("\"{}\" {}", e.name, what)}); };
  if (shot.hasPlate() && !shot.worked().range().contains(p.frame))
    say(fmt::format("is painted on frame {}, which the plate does not have: choose another", p.frame));
  else if ((!shot.camera->empty() || !wantsCamera(e.place)) && isCarried(e.place) && !carries(shot, e.place, p.frame))
    say(fmt::format("is painted on frame {}, where {}: choose another", p.frame,
                    wantsCamera(e.place) ? "the camera has no pose" : "its region was not followed to"));
  for (const auto& s : p.strokes) {
    if (!s.on || s.brush.tool != BrushTool::Clone || !s.brush.otherFrame) continue;
    if (!isCarried(e.place)) {
      say("clones from another frame, and nothing carries it there: place it on a surface or on a region");
      break;
    }
    const PlateUse* plate = s.brush.fromPlate.empty() ? &shot.worked() : shot.plateUse(s.brush.fromPlate);
    if (!plate) {
      say("clones from a plate that is gone: remove the stroke, or choose another plate");
      break;
    }
    const auto& missing = plate->files.missing;
    const int f = s.brush.fromFrame;
    if (!plate->range().contains(f) ||
        std::find(missing.begin(), missing.end(), plate->fileFrame(f)) != missing.end() || !carries(shot, e.place, f)) {
      say(fmt::format(
          "clones from frame {}, where there is no plate or nothing carries the place: remove the stroke, or hide it",
          f));
      break;
    }
  }
  std::error_code ec;
  for (const auto& file : {p.sent, p.returned})
    if (!file.empty() && !std::filesystem::exists(file, ec))
      say(fmt::format("was painted in another program, and {} is missing: restore it", file));
  if (p.sent.empty() != p.returned.empty())
    say("knows only one of the two pictures that were painted elsewhere: send it out again");
  grainProblems(e, shot, false, out);
}

template <>
std::optional<int> PaintWords::pin(const element::Paint& p) {
  return p.frame;
}

template <>
element::Element PaintWords::fresh(const Shot& shot, const std::string& surface, int frame) {
  element::Element e;
  if (shot.surfaces.empty() && shot.regions.empty())
    e.place = onTheScreen();  // where nothing carries it, it stays on the picture
  else
    e = onSurface(shot, surface);
  element::Paint p;
  p.frame = frame;
  // An eighteenth of the picture's height, taken from one and a half beside: 40 px of 720.
  p.brush.sizePx = std::max(4.0, std::round(shot.height / 18.0)), p.brush.offset = {1.5 * p.brush.sizePx, 0};
  e.source = p;
  e.name = isCarried(e.place) ? "Paint on " + nameOfPlace(shot, e.place) : "Paint";
  // It is laid only where what is painted on has none.
  e.look.freshGrain = shot.worked().grain.known();
  return e;
}

}  // namespace zentil::shot
