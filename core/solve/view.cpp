#include "core/solve/view.h"

#include <cmath>

namespace zentil::solve {

View View::at(double late) const {
  View out = *this;
  const Mat3 go = roll.turnAt(late);
  out.turn = go * turn;
  out.place = go * (place - turn * roll.wayAt(late));
  out.roll = {};
  return out;
}

void Intrinsics::putLens(View& v) const {
  auto own = std::make_shared<lens::Lens>(lens);
  own->k1 += k1Zoom * std::log(v.zoom), own->k2 += k2Zoom * std::log(v.zoom);
  v.lens = std::move(own);
}

bool Intrinsics::project(const View& v, const Vec3& world, Vec2& at, double* when) const {
  const auto lands = [&](const Vec3& p, Vec2& there) {
    return p.z() > 1e-9 && lensOf(v).project({p.x() / p.z(), p.y() / p.z()}, body(v), there);
  };
  if (!rolls()) return lands(v.turn * world + v.place, at);
  const auto then = [&](double late, Vec2& there) {
    return lands(v.roll.turnAt(late) * (v.turn * (world - v.roll.wayAt(late)) + v.place), there);
  };
  double late = 0;
  const bool found = camera::landWhenRead(readout, rows, then, at, late);
  if (when) *when = late;
  return found;
}

Vec2 Intrinsics::straight(const View& v, const Vec2& plate) const {
  const lens::Body b = body(v);
  Vec2 s;
  if (!lensOf(v).unproject(plate, b, s)) s = {(plate.x() - cx) / b.fx, (plate.y() - cy) / b.fy};
  return s;
}

}  // namespace zentil::solve
