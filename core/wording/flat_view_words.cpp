#include "core/shot/flat_view.h"

#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence flatViewRecipe(const Shot& shot, int frame) {
  const Wording w(shot, frame);
  return {Wording::plain("Flat view: turned"),
          w.number("flatView.yaw"),
          Wording::plain("to the right,"),
          w.number("flatView.pitch"),
          Wording::plain("up, rolled by"),
          w.number("flatView.roll"),
          Wording::plain("and"),
          w.number("flatView.fovDegrees"),
          Wording::plain("wide,"),
          w.choice("flatView.ofWorld", {"as the sphere turns,", "locked to the world,"}),
          w.number("flatView.width"),
          Wording::plain("by"),
          w.number("flatView.height")};
}

}  // namespace zentil::wording
