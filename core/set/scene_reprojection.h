#pragma once
#include "core/map/between.h"
#include "core/set/surface_map.h"

namespace zentil::set {

/// From a view's pixels to another frame's by way of the set; what no surface is met by is far away.
class SceneReprojection : public SeenBy {
 public:
  SceneReprojection(const view::ViewPtr& eye, const RayScenePtr& scene, const view::ViewPtr& other,
                    const RayScenePtr& otherScene)
      : SeenBy(eye, scene, kAnySurface, other, otherScene, true), far_(eye, other) {}

  void apply(map::MapSample* spots, size_t n) const override {
    constexpr int kFar = 1 << 24;  // no surface's piece
    for (size_t from = 0; from < n; from += Met::kMost) {
      const size_t count = std::min(n - from, Met::kMost);
      map::MapSample own[Met::kMost], far[Met::kMost];
      Vec2 at[Met::kMost];
      for (size_t i = 0; i < count; ++i) own[i] = far[i] = spots[from + i], at[i] = own[i].at;
      Met met;
      meet(at, count, met);
      SeenBy::apply(own, count);
      far_.apply(far, count);
      for (size_t i = 0; i < count; ++i) {
        if (spots[from + i].branch == map::kInvalid) continue;
        spots[from + i] = met.there[i] ? own[i] : far[i];
        if (!met.there[i] && far[i].branch != map::kInvalid) spots[from + i].branch = kFar + far[i].branch;
      }
    }
  }

 private:
  map::Between far_;
};

}  // namespace zentil::set
