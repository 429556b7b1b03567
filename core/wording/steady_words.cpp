#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence steadyRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const shot::Hold hold = shot.steady.hold;
  Sentence s = {
      SettingWords::plain("Steady:"),
      w.choice("steady.hold", {"hold nothing", "hold the place of", "hold place and turn of",
                               "hold place, turn and scale of", "hold the camera's turn", "smooth the camera's turn",
                               "turn the camera in still and even runs", "hold the plane of"})};
  if (hold == shot::Hold::Place || hold == shot::Hold::PlaceTurn || hold == shot::Hold::PlaceTurnScale)
    s.push_back(w.thing("steady.spot"));
  if (hold == shot::Hold::Plane) s.push_back(w.thing("steady.surface"));
  if (hold == shot::Hold::Smooth) {
    s.push_back(SettingWords::plain("over"));
    s.push_back(w.number("steady.smoothFrames"));
  } else if (hold == shot::Hold::L1Path) {
    s.push_back(SettingWords::plain("enlarged by no more than"));
    s.push_back(w.number("steady.maxZoom"));
  } else if (hold != shot::Hold::Nothing) {
    s.push_back(SettingWords::plain("as on"));
    s.push_back(w.number("steady.reference", "frame "));
  }
  if (hold != shot::Hold::Nothing) {
    s.push_back(SettingWords::plain("at"));
    s.push_back(w.number("steady.strength"));
    s.push_back(SettingWords::plain("of that,"));
  }
  // What is delivered of it.
  const auto cropped = [&] {
    const Box crop = cropOf(shot.steady, shot.width, shot.height);
    if (crop == shot.frameBox()) {
      s.push_back(SettingWords::plain("whole."));
      return;
    }
    s.push_back(SettingWords::plain("cropped to"));
    for (const char* word : {"cropFrom.x", "cropFrom.y", "cropTo.x", "cropTo.y"}) {
      s.push_back(w.number(std::string("steady.") + word));
      if (word != std::string("cropTo.y")) s.back().text.resize(s.back().text.size() - 3), s.back().unit.clear();
      if (word == std::string("cropFrom.y")) s.push_back(SettingWords::plain("to"));
    }
    s.back().text += ".";
  };
  // A sphere has no edge, and nothing comes into the picture where nothing is turned.
  if (shot.projection == shot::Projection::Sphere) {
    s.push_back(w.choice("steady.level", {"as it leans.", hold == shot::Hold::Nothing ? "level, keeping its yaw."
                                                                                      : "level: no pitch, no roll."}));
    return s;
  }
  if (hold == shot::Hold::Nothing && !shot.steady.level) {
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
    s.push_back(SettingWords::plain("eased over"));
    s.push_back(w.number("steady.smoothFrames"));
    s.back().text += ",";
  }
  cropped();
  return s;
}

}  // namespace zentil::wording
