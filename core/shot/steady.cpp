#include "core/shot/steady.h"

#include "core/set/form.h"
#include "core/shot/recipe.h"

namespace zentil::shot {

Box cropOf(const Steady& s, int width, int height) {
  const Box whole{0, 0, width, height};
  const auto pixel = [](double v) { return static_cast<int>(std::lround(std::clamp(v, -1e6, 1e6))); };
  const Box out =
      intersect(whole, {pixel(std::min(s.cropFrom.x(), s.cropTo.x())), pixel(std::min(s.cropFrom.y(), s.cropTo.y())),
                        pixel(std::max(s.cropFrom.x(), s.cropTo.x())), pixel(std::max(s.cropFrom.y(), s.cropTo.y()))});
  // Less than that nobody draws on purpose.
  constexpr int kLeast = 8;
  return out.width() < kLeast || out.height() < kLeast ? whole : out;
}

void beginSteady(Shot& shot) {
  auto& s = shot.steady;
  if (!shot.spot(s.spot) && !shot.spots.empty()) s.spot = shot.spots.back().id;
  // The first one that is there to be seen, rather than a card that only carries a matte.
  for (const bool seen : {true, false})
    for (const auto& one : shot.surfaces)
      if (!shot.surface(s.surface) && set::formOf(one.kind).isFlat() && one.occludes == seen) s.surface = one.id;
  const auto* spot = shot.spot(s.spot);
  if (!shot.range.contains(s.reference))
    s.reference = spot && shot.range.contains(spot->frame) ? spot->frame : shot.range.first;
}

Sentence steadyRecipe(const Shot& shot, int frame) {
  const Wording w(shot, frame);
  const Hold hold = shot.steady.hold;
  Sentence s = {
      Wording::plain("Steady:"),
      w.choice("steady.hold", {"hold nothing", "hold the place of", "hold place and turn of",
                               "hold place, turn and scale of", "hold the camera's turn", "smooth the camera's turn",
                               "turn the camera in still and even runs", "hold the plane of"})};
  if (hold == Hold::Place || hold == Hold::PlaceTurn || hold == Hold::PlaceTurnScale)
    s.push_back(w.thing("steady.spot"));
  if (hold == Hold::Plane) s.push_back(w.thing("steady.surface"));
  if (hold == Hold::Smooth) {
    s.push_back(Wording::plain("over"));
    s.push_back(w.number("steady.smoothFrames"));
  } else if (hold == Hold::L1Path) {
    s.push_back(Wording::plain("enlarged by no more than"));
    s.push_back(w.number("steady.maxZoom"));
  } else if (hold != Hold::Nothing) {
    s.push_back(Wording::plain("as on"));
    s.push_back(w.number("steady.reference", "frame "));
  }
  if (hold != Hold::Nothing) {
    s.push_back(Wording::plain("at"));
    s.push_back(w.number("steady.strength"));
    s.push_back(Wording::plain("of that,"));
  }
  // What is delivered of it.
  const auto cropped = [&] {
    const Box crop = cropOf(shot.steady, shot.width, shot.height);
    if (crop == shot.frameBox()) {
      s.push_back(Wording::plain("whole."));
      return;
    }
    s.push_back(Wording::plain("cropped to"));
    for (const char* word : {"cropFrom.x", "cropFrom.y", "cropTo.x", "cropTo.y"}) {
      s.push_back(w.number(std::string("steady.") + word));
      if (word != std::string("cropTo.y")) s.back().text.resize(s.back().text.size() - 3), s.back().unit.clear();
      if (word == std::string("cropFrom.y")) s.push_back(Wording::plain("to"));
    }
    s.back().text += ".";
  };
  // A sphere has no edge, and nothing comes into the picture where nothing is turned.
  if (shot.projection == Projection::Sphere) {
    s.push_back(w.choice("steady.level", {"as it leans.", hold == Hold::Nothing ? "level, keeping its yaw."
                                                                                : "level: no pitch, no roll."}));
    return s;
  }
  if (hold == Hold::Nothing && !shot.steady.level) {
    s.push_back(w.choice("steady.level", {"as it leans.", "with a level horizon."}));
    return s;
  }
  s.push_back(w.choice("steady.level", {"as it leans,", "with a level horizon,"}));
  if (!shot.steady.enlarged) {
    s.push_back(w.choice("steady.enlarged", {"not enlarged,", "enlarged so that no edge shows"}));
    s.push_back(w.choice("steady.filled", {"transparent beyond the plate,", "filled beyond the plate,"}));
    cropped();
    return s;
  }
  s.push_back(w.choice("steady.enlarged", {"not enlarged", "enlarged so that no edge shows,"}));
  s.push_back(w.choice("steady.dynamicZoom", {"by the same on all frames,", "by what each frame needs,"}));
  if (shot.steady.dynamicZoom) {
    s.push_back(Wording::plain("eased over"));
    s.push_back(w.number("steady.smoothFrames"));
    s.back().text += ",";
  }
  cropped();
  return s;
}

}  // namespace zentil::shot
