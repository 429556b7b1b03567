#pragma once
#include <memory>
#include <optional>
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
  /// The first surface along each of n rays from one place, eight at a time. `only` >= 0 meets that surface alone.
  void first(const Vec3& origin, const Vec3* directions, size_t n, int only, Hit* hits) const;
  Hit first(const Vec3& origin, const Vec3& direction, int only = -1) const {
    Hit hit;
    first(origin, &direction, 1, only, &hit);
    return hit;
  }

  /// For each of n points, each on the surface that `targets` names: whether a surface that blocks, or another part of
  /// its own, stands between it and `eye`.
  void hidden(const Vec3& eye, const Vec3* points, const int* targets, size_t n, bool* hidden) const;
  bool hidden(const Vec3& eye, const Vec3& point, int target) const {
    bool answer = false;
    hidden(eye, &point, &target, 1, &answer);
    return answer;
  }

  /// Gets ready for rays at one surface (or, below 0, at all), and for asking what is hidden if `others`: once, before
  /// many threads ask.
  void prepare(int only, bool others) const;
  /// About what it holds in memory.
  size_t bytes() const;

  const std::vector<Surface>& surfaces() const { return surfaces_; }
  /// A surface's triangles, in the world.
  const Mesh& triangles(int surface) const { return meshes_[static_cast<size_t>(surface)]; }
  /// Index by id; -1 when there is none.
  int indexOf(const std::string& id) const;

 private:
  struct Inside;
  std::vector<Surface> surfaces_;
  std::vector<Mesh> meshes_;
  std::unique_ptr<Inside> in_;
};

/// Where a ray, its direction of length 1, meets one surface; a plane goes on beyond its sides. Nothing where it
/// misses.
std::optional<RayScene::Hit> meet(const Surface& surface, const Vec3& origin, const Vec3& direction);

using RayScenePtr = std::shared_ptr<const RayScene>;

}  // namespace zentil::set
