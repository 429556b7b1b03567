#pragma once
#include "core/map/map.h"
#include "core/view/view.h"

namespace zentil::map {

/// From the pixels of one view to those of another that looks from the same place, or at what is so far away that the
/// place does not matter: a flat view out of a sphere, a sky.
class Between : public Map {
 public:
  Between(view::ViewPtr from, view::ViewPtr to) : from_(std::move(from)), to_(std::move(to)) {}
  void apply(Spot* spots, size_t n) const override;

 private:
  view::ViewPtr from_, to_;
};

}  // namespace zentil::map
