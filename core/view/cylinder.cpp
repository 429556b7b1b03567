#include <cmath>

#include "core/value/hash.h"
#include "core/view/far_picture.h"

namespace zentil::view {
namespace {

/// A panorama on an upright cylinder about a place: longitude grows evenly to the right over the field of view of its
/// width, the middle column is straight ahead, and height is the tangent of latitude, as large as makes what is level
/// square.
class Cylinder : public View {
 public:
  explicit Cylinder(const FarSight& s)
      : width_(s.width),
        height_(s.height),
        perRadian_(s.width / (s.steer.fovDegrees * M_PI / 180)),
        rotation_(steered({s.steer.yaw, s.steer.pitch, s.steer.roll, 90}, s.width, s.height).rotation) {}

  uint64_t key() const override {
    return value::Hasher().add("cylinder").add(width_).add(height_).add(perRadian_).add(rotation_).key();
  }

  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override {
    for (size_t i = 0; i < n; ++i) {
      const double longitude = (pixels[i].x() - width_ / 2) / perRadian_;
      ways[i] = rotation_ * Vec3(std::sin(longitude), (height_ / 2 - pixels[i].y()) / perRadian_, -std::cos(longitude));
      there[i] = std::abs(longitude) <= M_PI;
    }
  }

  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override {
    for (size_t i = 0; i < n; ++i) {
      const Vec3 d = rotation_.transpose() * ways[i];
      const double level = std::hypot(d.x(), d.z());
      there[i] = level > 1e-12 * d.norm();
      if (there[i])
        pixels[i] = {width_ / 2 + perRadian_ * std::atan2(d.x(), -d.z()), height_ / 2 - perRadian_ * d.y() / level};
    }
  }

  /// Of all around, its two ends are apart.
  int pieceOf(const Vec2& pixel) const override { return pixel.x() < width_ / 2.0 ? 1 : 2; }

 private:
  double width_, height_, perRadian_;
  Mat3 rotation_;
};

}  // namespace

ViewPtr cylinder(const FarSight& s) { return std::make_shared<Cylinder>(s); }

}  // namespace zentil::view
