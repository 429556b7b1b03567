#pragma once
#include "core/map/map.h"
#include "core/view/view.h"

namespace zentil::map {

/// From the pixels of one view to those of another that looks from the same place, or at what is so far away that the
/// place does not matter: a flat view out of a sphere, a sky.
class Between : public Map {
 public:
  Between(view::ViewPtr from, view::ViewPtr to);
  void apply(MapSample* spots, size_t n) const override;

 private:
  /// Which continuous part of the target a place lies on.
  int pieceAt(const Vec3& way, const Vec2& at) const;
  view::ViewPtr from_, to_;
  bool around_ = false;       ///< `to` is a sphere
  Vec3 pole_ = Vec3::Zero();  ///< ...whose upper pole is there
};

}  // namespace zentil::map
