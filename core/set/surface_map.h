#pragma once
#include "core/camera/camera.h"
#include "core/map/map.h"
#include "core/set/ray_scene.h"

namespace zentil::set {

/// Straight pixels of a camera, cast onto one surface (or, with kAnySurface, onto whichever comes first); subclasses
/// say where the met point comes from. Nothing is there where the ray misses the surface or where another surface that
/// blocks is in front.
constexpr int kAnySurface = -1;

class OntoSurface : public map::Map {
 public:
  OntoSurface(const camera::Camera& eye, RayScenePtr scene, int surface);
  void apply(map::Spot* spots, size_t n) const override;
  bool intricateWithin(const Vec2 (&corners)[4]) const override;

  /// The world point that a straight pixel of the camera meets. False when it meets nothing.
  bool meet(const Vec2& pixel, Vec3& world, int* face = nullptr, int* surface = nullptr) const;

 protected:
  virtual bool land(const Vec3& world, int surface, Vec2& at) const = 0;
  /// Areas of a camera's picture where other surfaces stand, as boxes; a camera inside one gets everything.
  std::vector<Box> othersSeenBy(const camera::Camera& camera) const;
  bool hiddenFrom(const Vec3& eye, const Vec3& world, int surface) const {
    return others_ && scene_->hidden(eye, world, surface);
  }
  const RayScene& scene() const { return *scene_; }

 private:
  camera::Camera eye_;
  RayScenePtr scene_;
  int surface_;
  bool others_;  // whether anything could stand in the way
  std::vector<Box> inFront_;
};

/// ...from the straight pixel of another camera, held or moving, that sees it. With `needsSight`, points which that
/// camera cannot see for another surface are nowhere.
class SeenBy : public OntoSurface {
 public:
  SeenBy(const camera::Camera& eye, RayScenePtr scene, int surface, const camera::Camera& other, bool needsSight);
  bool intricateWithin(const Vec2 (&corners)[4]) const override;

 protected:
  bool land(const Vec3& world, int surface, Vec2& at) const override;

 private:
  camera::Camera other_;
  bool needsSight_;
  std::vector<Box> inItsWay_;
};

/// ...from a picture of width x height pixels wrapped on the surface (see uvOf).
class Unwrapped : public OntoSurface {
 public:
  Unwrapped(const camera::Camera& eye, RayScenePtr scene, int surface, int width, int height);

 protected:
  bool land(const Vec3& world, int surface, Vec2& at) const override;

 private:
  Surface surface_;
  double width_, height_;
};

}  // namespace zentil::set
