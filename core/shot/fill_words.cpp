#include "core/element/fill_settings.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using FillWords = SourceWords<element::Fill>;

const PlateUse* plateOf(const element::Fill& g, const Shot& shot) {
  return g.plate.empty() ? &shot.worked() : shot.plateUse(g.plate);
}

/// "frames 1003, 1007 and 1012", or "24 frames from 1001 to 1072".
std::string framesOf(const element::Fill& g) {
  if (g.frames.empty()) return "no frames";
  if (g.frames.size() == 1) return fmt::format("frame {}", g.frames.front());
  if (g.frames.size() <= 5) {
    std::string s = "frames ";
    for (size_t i = 0; i < g.frames.size(); ++i)
      s += (i == 0 ? "" : i + 1 == g.frames.size() ? " and " : ", ") + std::to_string(g.frames[i]);
    return s;
  }
  const auto [first, last] = std::minmax_element(g.frames.begin(), g.frames.end());
  return fmt::format("{} frames from {} to {}", g.frames.size(), *first, *last);
}
}  // namespace

template <>
const char* FillWords::noun() {
  return "fill";
}
template <>
const char* FillWords::tip() {
  return "Fill a place on a surface from the frames that show it, leaving out removal mattes";
}
template <>
bool FillWords::fromFiles() {
  return false;
}

template <>
Sentence FillWords::sentence(const element::Element& e, const element::Fill& g, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {Wording::plain("Fill"), placeWord(e, w), Wording::plain("from " + framesOf(g)),
                w.choice(path + "source.method", {"part by part", "averaged", "averaged, holes inpainted"})};
  if (!g.plate.empty()) {
    s.push_back(Wording::plain("of"));
    s.push_back(w.thing(path + "source.plate"));
  }
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence FillWords::details(const element::Element& e, const element::Fill&, const Wording& w) {
  Sentence s;
  addRow(s, "Light");
  s.push_back(w.choice("elements." + e.id + ".source.equalise", {"each frame's own", "equalised"}));
  addMatch(s, e, w, true);
  addGrain(s, e, w);
  addMerge(s, e, w);
  const Sentence more = plateDetails(e, w);
  s.insert(s.end(), more.begin(), more.end());
  return s;
}

template <>
std::vector<Action> FillWords::actions() {
  return {
      {"fillFromAll", "Take all frames", "All frames of the shot, or some evenly among many, this one first"},
      {"fillFromFewest", "Take the fewest", "The best frame, and those that show what it does not"},
      {"measureGrain", "Measure grain", "The plate's grain around it, from the frames against their average"},
      {"elsewhere", "From elsewhere", "Drag from the place to where on its surface it is to be taken from"},
      {"snapRepeat", "Snap to a repeat",
       "Where the surface looks the same a step further on: boards, bricks, slabs; near the shift it has, or anywhere"},
      {"drawMatte", "Draw its matte", "Click around the part to fill; click the first point to close"},
      {"putOnCard", "Put on a card",
       "The outlined thing is in front of the surface: measures its distance, puts its matte on a card there, and "
       "takes nothing "
       "from there"},
      {"mattePictures", "Matte pictures\u2026", "An image sequence as the matte"}};
}

template <>
void FillWords::problems(const element::Element& e, const element::Fill& g, const Shot& shot,
                         std::vector<Problem>& out) {
  const PlateUse* plate = plateOf(g, shot);
  if (!plate) {
    out.push_back({fmt::format("\"{}\" takes its frames from a plate that is gone: choose another", e.name)});
    return;
  }
  if (g.frames.empty())
    out.push_back({fmt::format("\"{}\" has no frames to be taken from: take all of the shot's", e.name)});
  grainProblems(e, shot, g.method == element::FillMethod::PartByPart, out);
  std::vector<int> gone;
  for (const int f : g.frames) {
    const auto& missing = plate->files.missing;
    if (!plate->range().contains(f) ||
        std::find(missing.begin(), missing.end(), plate->fileFrame(f)) != missing.end() || !carries(shot, e.place, f))
      gone.push_back(f);
  }
  std::sort(gone.begin(), gone.end());
  if (!gone.empty())
    out.push_back({fmt::format(
        "\"{}\" is taken from frames {} too, where there is no plate or nothing carries the place: take others", e.name,
        describeFrames(gone))});
  if (std::none_of(shot.mattes.begin(), shot.mattes.end(), [](const auto& m) { return m.removal; }))
    out.push_back(
        {fmt::format("\"{}\": there is no removal matte, so the fill also takes what you want to remove. Make the "
                     "matte around it a removal matte",
                     e.name),
         false});
}

template <>
std::optional<int> FillWords::pin(const element::Fill& g) {
  return g.frames.empty() ? std::nullopt : std::optional(g.frames.front());
}

template <>
element::Element FillWords::fresh(const Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  element::Fill g;
  g.frames = framesToGather(shot, e.place, g.plate, frame);
  e.source = g;
  e.name = "Fill on " + nameOfPlace(shot, e.place);
  // Light drifts over most shots: a fill that stays as bright as its frames is soon too dark or too bright.
  e.look.light = element::Light::Level;
  return e;
}

std::vector<int> framesToGather(const Shot& shot, const element::Place& place, const std::string& plateId, int first) {
  constexpr size_t kMost = 48;
  const PlateUse* plate = plateId.empty() ? &shot.worked() : shot.plateUse(plateId);
  if (!plate) throw Error("the plate is gone", "Choose another");
  requireWorkable(plate->range());
  std::vector<int> all;
  const auto& missing = plate->files.missing;
  for (int f = plate->range().first; f <= plate->range().last; ++f)
    if (carries(shot, place, f) && std::find(missing.begin(), missing.end(), plate->fileFrame(f)) == missing.end())
      all.push_back(f);
  if (all.empty())
    throw Error("there is no frame with both a plate and what carries the place",
                "Load a camera, track the region, or restore the plate's files");
  const int nearest = *std::min_element(all.begin(), all.end(),
                                        [&](int a, int b) { return std::abs(a - first) < std::abs(b - first); });
  std::vector<int> out = {nearest};
  const size_t n = std::min(all.size(), kMost);
  for (size_t i = 0; i < n; ++i)
    if (const int f = all[n == 1 ? 0 : i * (all.size() - 1) / (n - 1)]; f != nearest) out.push_back(f);
  return out;
}

}  // namespace zentil::shot
