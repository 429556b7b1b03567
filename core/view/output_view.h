#pragma once
#include "core/base/geometry.h"
#include "core/view/view.h"

namespace zentil::view {

/// What a frame is looked at from: a view, the box of its pixels that is made, and how the plate's own pixels see. As
/// shot both views are the same; straight, steadied, wider, or flat out of a sphere they differ.
struct OutputView {
  ViewPtr view;   ///< whose pixels are made
  Box box;        ///< of them
  ViewPtr plate;  ///< how the shot's pixels see on the frame

  /// From its pixels to the plate's, and back, by what is far away; false where nothing is.
  bool toPlate(const Vec2& pixel, Vec2& plate) const;
  bool fromPlate(const Vec2& plate, Vec2& pixel) const;
  /// Where it shows a place of the world.
  bool see(const Vec3& world, Vec2& pixel) const { return view->see(world, pixel); }
  /// Of all that it depends on.
  uint64_t key() const;
};

}  // namespace zentil::view
