#include "core/view/output_view.h"

#include "core/value/hash.h"

namespace zentil::view {

bool OutputView::toPlate(const Vec2& pixel, Vec2& onPlate) const {
  Vec3 way;
  bool there = view->unproject(pixel, way);
  way *= kFarAway;
  if (there) plate->project(&way, 1, &onPlate, &there);
  return there && onPlate.allFinite();
}

bool OutputView::fromPlate(const Vec2& onPlate, Vec2& pixel) const {
  Vec3 way;
  bool there = plate->unproject(onPlate, way);
  if (there) view->project(&way, 1, &pixel, &there);
  return there && pixel.allFinite();
}

uint64_t OutputView::key() const {
  return value::Hasher().add(view->key()).add(plate->key()).add(box.x0).add(box.y0).add(box.x1).add(box.y1).key();
}

}  // namespace zentil::view
