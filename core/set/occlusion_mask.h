#pragma once
#include <vector>

#include "core/camera/camera.h"
#include "core/set/ray_scene.h"

namespace zentil::set {

/// Where, in a camera's straight picture, sight of one surface may begin or end because another that blocks stands
/// before it: a coarse mask, made once a frame, that lets everything else be interpolated. It errs towards "may".
class OcclusionMask {
 public:
  OcclusionMask() = default;  ///< nothing is
  OcclusionMask(const RayScene& scene, int target, const camera::Camera& camera);
  /// The same; for a view without a pinhole (null) everywhere, as soon as anything blocks.
  OcclusionMask(const RayScene& scene, int target, const camera::Camera* camera);

  bool empty() const { return !everywhere_ && cells_.empty(); }
  /// True when something may begin or end within the box around four pixels.
  bool within(const Vec2 (&corners)[4]) const;

 private:
  void markEdge(Vec3 a, Vec3 b, const camera::Camera& camera);
  void markTriangles(const Mesh& mesh, const camera::Camera& camera);
  /// A cell of the mask; -1 and columns_ (rows_) stand for what lies beyond it.
  struct Cell {
    int x = 0, y = 0;
  };
  Cell cellOf(const Vec2& p) const;
  void mark(const Cell& lo, const Cell& hi);

  bool everywhere_ = false;
  Vec2 origin_ = Vec2::Zero();
  int columns_ = 0, rows_ = 0;
  std::vector<char> cells_;
};

}  // namespace zentil::set
