#include "core/wording/recipe.h"

#include <fmt/format.h>

#include <cmath>

namespace zentil::wording {

Sentence moveRecipe(const Shot& s, int frame) {
  const SettingWords w(s, frame);
  const auto& m = s.move;
  Sentence out = {SettingWords::plain("The move of " + m.name + ", its frames"),
                  w.number("move.part.first"),
                  SettingWords::plain("to"),
                  w.number("move.part.last"),
                  SettingWords::plain("from"),
                  w.number("move.at", "frame "),
                  SettingWords::plain("on, at"),
                  w.number("move.speed"),
                  SettingWords::plain("of its speed, eased in over"),
                  w.number("move.easeIn"),
                  SettingWords::plain("and out over"),
                  w.number("move.easeOut"),
                  SettingWords::plain("smoothed over"),
                  w.number("move.smoothFrames"),
                  SettingWords::plain("beginning"),
                  w.choice("move.begins", {"where it was,", "at the middle of the world,"}),
                  SettingWords::plain("moved by")};
  out[11].text += ",", out[13].text += ",";
  for (const char* axis : {"x", "y", "z"}) {
    out.push_back(w.number(std::string("move.position.") + axis));
    if (*axis != 'z') out.back().text.resize(out.back().text.size() - 2), out.back().unit.clear();
  }
  out.back().text += ",";
  out.push_back(SettingWords::plain("turned by"));
  out.push_back(w.number("move.turn"));
  out.back().text += ",";
  out.push_back(w.number("move.scale"));
  out.push_back(SettingWords::plain(fmt::format("as far; it is still from frame {} on.",
                                                m.at + static_cast<int>(std::ceil(camera::lasts(m) - 1e-9)))));
  return out;
}

}  // namespace zentil::wording
