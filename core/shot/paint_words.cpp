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
using element::Ink;

/// What a kind of stroke asks for, after its name.
void addInk(Sentence& s, const element::Brush& b, const std::string& path, const Wording& w) {
  switch (b.ink) {
    case Ink::Clone:
      s.push_back(Wording::plain("from"));
      s.push_back(w.number(path + "offset.x"));
      s.push_back(Wording::plain("to the right,"));
      s.push_back(w.number(path + "offset.y"));
      s.push_back(Wording::plain("down,"));
      s.push_back(w.choice(path + "otherFrame", {"on the same frame", "on frame"}));
      if (b.otherFrame) s.push_back(w.number(path + "fromFrame"));
      break;
    case Ink::Colour:
      s.push_back(Wording::plain("of"));
      for (const char* c : {"r", "g", "b"}) s.push_back(w.number(path + "colour." + c));
      break;
    case Ink::Light:
      s.push_back(Wording::plain("by"));
      s.push_back(w.number(path + "stops"));
      break;
    case Ink::Blur:
      s.push_back(Wording::plain("by"));
      s.push_back(w.number(path + "blurPx"));
      break;
    case Ink::Smear:
      s.push_back(Wording::plain("carrying"));
      s.push_back(w.number(path + "carries"));
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
  return "Paint on the picture as it stands on this frame; strokes go along with the chosen surface";
}
template <>
bool PaintWords::fromFiles() {
  return false;
}

template <>
Sentence PaintWords::sentence(const element::Element& e, const element::Paint& p, const Wording& w) {
  const std::string path = "elements." + e.id + ".", brush = path + "source.brush.";
  Sentence s = {Wording::plain("Paint on"), placeWord(e, w), Wording::plain("in the pixels of"),
                w.number(path + "source.frame", "frame ")};
  size_t hidden = 0;
  for (const auto& k : p.strokes) hidden += !k.on;
  s.push_back(Wording::plain(
      fmt::format("({}{});", p.strokes.size() == 1 ? "1 stroke" : fmt::format("{} strokes", p.strokes.size()),
                  hidden ? fmt::format(", {} hidden", hidden) : "")));
  s.push_back(Wording::plain("next:"));
  s.push_back(w.choice(brush + "ink", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                       "lift a line", "lift a shadow"}));
  addInk(s, p.brush, brush, w);
  s.push_back(Wording::plain("with a brush of"));
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(Wording::plain("across, full over"));
  s.push_back(w.number(brush + "hardness"));
  s.push_back(Wording::plain("of it, strength"));
  s.push_back(w.number(brush + "opacity"));
  s.back().text += ",";
  addCover(s, e, w);
  addMatch(s, e, w, isCarried(e.place));
  addGrain(s, e, w);
  addMerge(s, e, w);
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
                w.choice(brush + "ink", {"clone", "colour", "lighten", "blur", "smear", "erase", "close a hole",
                                         "lift a line", "lift a shadow"})};
  addInk(s, k.brush, brush, w);
  s.push_back(w.number(brush + "sizePx"));
  s.push_back(Wording::plain("across, strength"));
  s.push_back(w.number(brush + "opacity"));
  s.push_back(Wording::special(path + "only", k.range.count() ? "1" : "0",
                               {{"0", "on all frames"}, {"1", "on its own frame alone"}}));
  return s;
}

template <>
Sentence PaintWords::details(const element::Element& e, const element::Paint& p, const Wording& w) {
  const std::string brush = "elements." + e.id + ".source.brush.";
  Sentence s = {Wording::plain("Brush: flow"),
                w.number(brush + "flow"),
                Wording::plain("a dab, spacing"),
                w.number(brush + "spacing"),
                Wording::plain("of its size, pressure changes"),
                w.choice(brush + "pressure", {"nothing", "its size", "its flow", "both"})};
  s.back().text += ".";
  if (p.brush.otherFrame) {
    s.push_back(Wording::plain("Clone from plate"));
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
           "Writes the picture of its frame for another program; saved there, it is taken back, and only what changed"},
          {"drawMatte", "Draw its matte", "Click around what is let through; click the first point to close"}};
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
    if (!s.on || s.brush.ink != Ink::Clone || !s.brush.otherFrame) continue;
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
      say(fmt::format("was painted on elsewhere, and {} is not there: put it back", file));
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
