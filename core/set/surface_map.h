#pragma once
#include "core/camera/camera.h"
#include "core/map/map.h"
#include "core/set/in_the_way.h"
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

 protected:
  /// A batch of points met: where in the world, on which surface.
  struct Met {
    static constexpr size_t kMost = 64;
    Vec3 world[kMost];
    int surface[kMost], face[kMost];
    bool there[kMost];  ///< false: nothing was met, or it is hidden; the rest is then undefined
  };
  /// Where the met points come from; clears `there` where that is nowhere.
  virtual void land(Met& met, size_t n, Vec2* at) const = 0;
  /// The world points that n (at most Met::kMost) straight pixels meet; what hides them is not asked for.
  void meet(const Vec2* pixels, size_t n, Met& met) const;
  /// Clears `there` for points that `eye` cannot see for another surface.
  void dropHidden(const Vec3& eye, Met& met, size_t n) const;
  const RayScene& scene() const { return *scene_; }

 private:
  camera::Camera eye_;
  RayScenePtr scene_;
  int surface_;
  bool others_;  // whether anything could stand in the way
  InTheWay inFront_;
};

/// ...from the straight pixel of another camera, held or moving, that sees it. With `needsSight`, points which that
/// camera cannot see for another surface are nowhere.
class SeenBy : public OntoSurface {
 public:
  SeenBy(const camera::Camera& eye, RayScenePtr scene, int surface, const camera::Camera& other, bool needsSight);
  bool intricateWithin(const Vec2 (&corners)[4]) const override;

 protected:
  void land(Met& met, size_t n, Vec2* at) const override;

 private:
  camera::Camera other_;
  bool needsSight_;
  InTheWay inItsWay_;
};

/// ...from a picture of width x height pixels wrapped on the surface (see uvOf).
class Unwrapped : public OntoSurface {
 public:
  Unwrapped(const camera::Camera& eye, RayScenePtr scene, int surface, int width, int height);

 protected:
  void land(Met& met, size_t n, Vec2* at) const override;

 private:
  Surface surface_;
  double width_, height_;
};

}  // namespace zentil::set
