#pragma once
#include <memory>
#include <vector>

#include "core/set/surface.h"

namespace zentil::set {

/// A set's surfaces, ready to be met by rays. Cheap to make (a millisecond or so for a handful of surfaces) and
/// immutable; many threads may ask.
class RayScene {
 public:
  explicit RayScene(std::vector<Surface> surfaces);
  ~RayScene();
  RayScene(const RayScene&) = delete;
  RayScene& operator=(const RayScene&) = delete;

  struct Hit {
    int surface = -1;            ///< index into surfaces(); -1: nothing
    int face = 0;                ///< which side of a box; 0 for the others
    double distance = 0;         ///< metres along the ray (its direction has length 1)
    Vec3 normal = Vec3::Zero();  ///< unit, towards the side the triangle faces
  };
  /// The first surface along a ray. `only` >= 0 meets that surface alone.
  Hit first(const Vec3& origin, const Vec3& direction, int only = -1) const;

  /// True when a surface that blocks stands between `eye` and a point on surface `target`.
  bool hidden(const Vec3& eye, const Vec3& point, int target) const;

  const std::vector<Surface>& surfaces() const { return surfaces_; }
  /// Index by id; -1 when there is none.
  int indexOf(const std::string& id) const;

 private:
  struct Inside;
  std::vector<Surface> surfaces_;
  std::unique_ptr<Inside> in_;
};

using RayScenePtr = std::shared_ptr<const RayScene>;

}  // namespace zentil::set
