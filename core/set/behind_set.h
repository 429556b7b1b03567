#pragma once
#include "core/set/surface_map.h"

namespace zentil::set {

/// A map of a view's pixels that leads nowhere where a surface that hides is met.
class BehindSet : public OntoSurface {
 public:
  /// `hiding`: the surfaces that hide, and no others.
  BehindSet(view::ViewPtr eye, RayScenePtr hiding, map::MapPtr behind)
      : OntoSurface(std::move(eye), std::move(hiding), kAnySurface), behind_(std::move(behind)) {}
  void apply(map::MapSample* spots, size_t n) const override {
    for (size_t from = 0; from < n; from += Met::kMost) {
      const size_t count = std::min(n - from, Met::kMost);
      Vec2 at[Met::kMost];
      for (size_t i = 0; i < count; ++i) at[i] = spots[from + i].at;
      Met met;
      meet(at, count, met);
      for (size_t i = 0; i < count; ++i)
        if (met.there[i]) spots[from + i].branch = map::kInvalid;
    }
    behind_->apply(spots, n);
  }
  /// Thin things may stand anywhere.
  bool intricateWithin(const Vec2 (&)[4]) const override { return true; }

 protected:
  void project(Met&, size_t, Vec2*) const override {}

 private:
  map::MapPtr behind_;
};

}  // namespace zentil::set
