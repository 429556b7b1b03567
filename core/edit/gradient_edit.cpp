#include "core/matte/gradient.h"

#include "core/edit/matte_kinds.h"

namespace zentil::edit {

template <>
matte::Gradient freshContent(const shot::Shot& shot, int) {
  // Down the middle third of the picture.
  matte::Gradient out;
  out.from = Vec2(shot.width / 2.0, shot.height / 3.0), out.to = Vec2(shot.width / 2.0, shot.height * 2.0 / 3);
  return out;
}

}  // namespace zentil::edit
