#include "core/shot/output.h"

#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence outputRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const auto& o = shot.output;
  // A number that is 0 stands for what is there anyway.
  const auto own = [&](const std::string& path, bool isOwn, const char* words) {
    Word word = w.number(path);
    if (isOwn && !word.keyed) word.text = words;
    return word;
  };
  Sentence s = {SettingWords::plain("View:"),
                w.choice("output.kind", {"as shot,", "straight,", "steadied,", "through another lens:"})};
  const bool sphere = shot.projection == shot::Projection::Sphere;
  const auto comma = [&] { s.back().text += ","; };
  if (o.kind == shot::OutputKind::AnotherLens) {
    s.push_back(own("output.focalMm", o.focalMm == value::Value<double>(0.0), "its focal length"));
    s.push_back(SettingWords::plain("on"));
    s.push_back(own("output.backWidthMm", o.backWidthMm == 0, "its film back"));
    comma();
  }
  // A sphere is whole, and its flat view has a size of its own.
  if (sphere && o.kind != shot::OutputKind::AnotherLens) {
    s.push_back(SettingWords::plain("whole."));
    return s;
  }
  s.push_back(own("output.width", o.width == 0, "its width"));
  s.push_back(SettingWords::plain("by"));
  s.push_back(own("output.height", o.height == 0, "its height"));
  if (o.kind == shot::OutputKind::AnotherLens) {
    comma();
    s.push_back(SettingWords::plain("pixels"));
    s.push_back(own("output.pixelAspect", o.pixelAspect == 0, "as wide as the plate's"));
  }
  // Where it is as large as the plate there is nothing to move.
  if (o.width > 0 || o.height > 0 || o.shiftX != 0 || o.shiftY != 0) {
    comma();
    s.push_back(SettingWords::plain("moved right by"));
    s.push_back(w.number("output.shiftX"));
    s.push_back(SettingWords::plain("and down by"));
    s.push_back(w.number("output.shiftY"));
  }
  return s;
}

}  // namespace zentil::wording
