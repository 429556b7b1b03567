#pragma once
#include <memory>

#include "core/camera/rolling_shutter.h"
#include "core/lens/lens.h"

namespace zentil::view {

/// Pixels to rays and back: how a picture sees the world. A camera with its lens, a sphere, a flat view steered out of
/// another are each a view, and what is made from views works with all of them:
///
///   const auto plate = std::make_shared<Perspective>(camera, lens);       // a pixel of the plate...
///   plate->cast(&pixel, 1, &way, &there);                                 // ...is this direction...
///   steered->land(&way, 1, &pixel, &there);                               // ...which is this pixel of the flat view
class View {
 public:
  virtual ~View() = default;
  /// Where it stands, in the world.
  virtual Vec3 position() const { return Vec3::Zero(); }
  /// Whether the rays of all pixels begin there; else each begins at positionAt().
  virtual bool standsStill() const { return true; }
  virtual Vec3 positionAt(const Vec2& /*pixel*/) const { return position(); }
  /// World directions, of any length, through n pixels; there[i] is false where a pixel sees nothing.
  virtual void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const = 0;
  /// Pixels on which n ways from its position land; there[i] is false where none does. Where it does not stand still a
  /// way leads to what is seen, and must be as long as that is far (kFarAway for a mere direction).
  virtual void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const = 0;
  /// Which continuous part of its picture a pixel lies on: positions on different parts are not interpolated between.
  virtual int pieceOf(const Vec2&) const { return 0; }
  /// Whether it sees all around, over two poles.
  virtual bool isAround() const { return false; }
  /// Of everything that decides which pixel sees what; ST maps count by their files.
  virtual uint64_t key() const = 0;
  /// The pinhole behind it, for what can be told in straight pixels; null for a view that has none.
  virtual const camera::Camera* pinhole() const { return nullptr; }
  /// A pixel as one of the pinhole's. False where it has none.
  virtual bool straight(const Vec2&, Vec2&) const { return false; }

  /// Where a world point is seen on the straight picture: by the pinhole, or without one on the pixel that sees it.
  bool seeStraight(const Vec3& world, Vec2& at) const {
    if (const auto* c = pinhole()) return c->project(world, at);
    Vec2 pixel;
    return see(world, pixel) && straight(pixel, at);
  }

  /// One at a time.
  bool unproject(const Vec2& pixel, Vec3& way) const {
    bool there = false;
    unproject(&pixel, 1, &way, &there);
    return there;
  }
  bool see(const Vec3& world, Vec2& pixel) const {
    bool there = false;
    const Vec3 way = world - position();
    project(&way, 1, &pixel, &there);
    return there;
  }
};
using ViewPtr = std::shared_ptr<const View>;

/// So far, in metres, that no step of a camera changes where it is seen.
constexpr double kFarAway = 1e9;

/// A pinhole camera with its lens before it.
class Perspective : public View {
 public:
  explicit Perspective(const camera::Camera& camera) : camera_(camera), bent_(false) {}
  Perspective(const camera::Camera& camera, const lens::LensOnPixels& lens)
      : camera_(camera), lens_(lens), bent_(!lens.lens.isStraight()) {}

  using View::unproject;
  Vec3 position() const override { return camera_.position; }
  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override;
  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override;
  const camera::Camera* pinhole() const override { return &camera_; }
  uint64_t key() const override;
  bool straight(const Vec2& pixel, Vec2& out) const override;

 private:
  camera::Camera camera_;
  lens::LensOnPixels lens_;
  bool bent_;
};

/// A pinhole camera with its lens whose rows are read one after the other, while it goes on.
class Rolling : public View {
 public:
  /// `camera` as it stands at the middle of `rows`, `readout` as in camera::CameraPath.
  Rolling(const camera::Camera& camera, const lens::LensOnPixels& lens, const camera::RollingShutter& roll,
          double readout, double rows)
      : middle_(camera, lens), camera_(camera), roll_(roll), readout_(readout), rows_(rows) {}

  using View::unproject;
  Vec3 position() const override { return camera_.position; }
  bool standsStill() const override { return false; }
  uint64_t key() const override;
  Vec3 positionAt(const Vec2& pixel) const override;
  bool straight(const Vec2& pixel, Vec2& out) const override { return middle_.straight(pixel, out); }
  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override;
  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override;

 private:
  double lateAt(const Vec2& pixel) const { return camera::rowTimeOffset(pixel.y(), readout_, rows_); }
  Perspective middle_;
  camera::Camera camera_;
  camera::RollingShutter roll_;
  double readout_, rows_;
};

/// Another view's picture without its lens: what that sees through a pixel is seen through the straight one.
class Straight : public View {
 public:
  Straight(ViewPtr bent, const lens::LensOnPixels& lens) : bent_(std::move(bent)), lens_(lens) {}

  using View::unproject;
  Vec3 position() const override { return bent_->position(); }
  bool standsStill() const override { return bent_->standsStill(); }
  Vec3 positionAt(const Vec2& pixel) const override;
  uint64_t key() const override;
  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override;
  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override;
  const camera::Camera* pinhole() const override { return bent_->pinhole(); }
  bool straight(const Vec2& pixel, Vec2& out) const override;

 private:
  ViewPtr bent_;
  lens::LensOnPixels lens_;
};

/// A picture whose pixels are any perspective map of the directions about a place: no camera's where that map has a
/// stretch or a slant of its own, as when it is a camera's picture seen by way of a plane. `ways` takes (x, y, 1) to
/// directions; only its scale and not its sign is free.
class Projective : public View {
 public:
  Projective(const Mat3& ways, const Vec3& position);

  using View::unproject;
  Vec3 position() const override { return position_; }
  uint64_t key() const override;
  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override;
  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override;

 private:
  Mat3 ways_, back_;
  Vec3 position_;
};

/// A 2:1 picture of everything around: longitude grows to the right, the middle column is straight ahead, the top row
/// is up. `rotation` turns its own axes (ahead is -Z, up is Y) into the world's.
class Sphere : public View {
 public:
  Sphere(int width, int height, const Mat3& rotation = Mat3::Identity(), const Vec3& position = Vec3::Zero())
      : width_(width), height_(height), rotation_(rotation), position_(position) {}

  using View::unproject;
  Vec3 position() const override { return position_; }
  uint64_t key() const override;
  void unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const override;
  void project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const override;
  /// The date line, and the column straight ahead, part it: where a picture's two ends meet nothing is interpolated.
  int pieceOf(const Vec2& pixel) const override { return pixel.x() < width_ / 2.0 ? 1 : 2; }
  bool isAround() const override { return true; }

 private:
  double width_, height_;
  Mat3 rotation_;
  Vec3 position_;
};

/// A flat view steered out of another, in degrees: yaw to the right, then pitch up, then roll clockwise; as wide as
/// `fovDegrees` across `width` pixels.
struct Steer {
  double yaw = 0, pitch = 0, roll = 0, fovDegrees = 90;
  bool operator==(const Steer&) const = default;
};
/// The pinhole of a steered view whose parent's axes are `rotation` (ahead is -Z, up is Y).
camera::Camera steered(const Steer& steer, int width, int height, const Mat3& rotation = Mat3::Identity(),
                       const Vec3& position = Vec3::Zero());
/// How a view was steered whose pinhole has this rotation in its parent's axes.
Steer steerOf(const Mat3& rotation, double fovDegrees);

}  // namespace zentil::view
