#include "core/shot/flat_view.h"

#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence flatViewRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  return {SettingWords::plain("Flat view: turned"),
          w.number("flatView.yaw"),
          SettingWords::plain("to the right,"),
          w.number("flatView.pitch"),
          SettingWords::plain("up, rolled by"),
          w.number("flatView.roll"),
          SettingWords::plain("and"),
          w.number("flatView.fovDegrees"),
          SettingWords::plain("wide,"),
          w.choice("flatView.ofWorld", {"as the sphere turns,", "locked to the world,"}),
          w.number("flatView.width"),
          SettingWords::plain("by"),
          w.number("flatView.height")};
}

}  // namespace zentil::wording
