#pragma once
#include <array>

#include "core/image/picture.h"
#include "core/view/view.h"

namespace zentil::sphere {

/// Six flat views that look everywhere out of a 2:1 picture, each a little beyond its own sixth, for following what is
/// seen: there a thing looks the same wherever on the sphere it is.
class Faces {
 public:
  static constexpr int kCount = 6;
  /// For 2:1 pictures so many pixels wide.
  explicit Faces(int sphereWidth);

  int size() const { return size_; }
  /// Of one channel. `turned`: the faces' axes in the sphere's.
  std::array<image::Picture, kCount> of(const image::Picture& sphere, const Mat3& turned) const;
  /// Direction, of length one, of a pixel of a face, in the faces' axes.
  Vec3 wayOf(int face, const Vec2& pixel) const { return camera(face).unproject(pixel); }
  /// Pixel of a direction on a face; false behind it.
  bool pixelOf(int face, const Vec3& way, Vec2& pixel) const { return camera(face).project(way, pixel); }
  /// The face to whose own sixth a direction belongs.
  static int faceOf(const Vec3& way);
  /// Radians that a pixel in a face's middle is wide.
  double pixelAngle() const { return 1 / cameras_[0].fx; }

 private:
  const camera::Camera& camera(int face) const { return cameras_[static_cast<size_t>(face)]; }
  std::array<camera::Camera, kCount> cameras_;
  int size_;
};

}  // namespace zentil::sphere
