#pragma once
#include "core/map/map.h"
#include "core/set/occlusion_mask.h"
#include "core/set/ray_scene.h"
#include "core/view/view.h"

namespace zentil::set {

/// Pixels of a view, cast onto one surface (or, with kAnySurface, onto whichever comes first); subclasses
/// say where the met point comes from. Nothing is there where the ray misses the surface or where another surface that
/// blocks is in front.
constexpr int kAnySurface = -1;

class Form;

class OntoSurface : public map::Map {
 public:
  OntoSurface(view::ViewPtr eye, RayScenePtr scene, int surface);
  void apply(map::MapSample* spots, size_t n) const override;
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
  virtual void project(Met& met, size_t n, Vec2* at) const = 0;
  /// Which continuous part of the source a position lies on.
  virtual int pieceOf(const Vec2&) const { return 0; }
  /// The world points that n (at most Met::kMost) pixels meet; what hides them is not asked for.
  void meet(const Vec2* pixels, size_t n, Met& met) const;
  /// Clears `there` for points that a view cannot see, on these pixels, for another surface of a scene.
  void dropHidden(const RayScene& scene, const view::View& view, const Vec2* pixels, Met& met, size_t n) const;
  const RayScene& scene() const { return *scene_; }

 private:
  view::ViewPtr eye_;
  RayScenePtr scene_;
  int surface_;
  const Form* form_;  // the surface's; null: any
  bool others_;       // whether anything could stand in the way
  OcclusionMask inFront_;
};

/// ...from the pixel of another view, held or moving, that sees it. With `needsSight`, points which that view cannot
/// see for another surface are nowhere.
class SeenBy : public OntoSurface {
 public:
  SeenBy(view::ViewPtr eye, const RayScenePtr& scene, int surface, view::ViewPtr other, bool needsSight);
  /// The same where the set stood otherwise when the other view saw it: a point goes with its surface to where that
  /// stands in `otherScene`.
  SeenBy(view::ViewPtr eye, RayScenePtr scene, int surface, view::ViewPtr other, RayScenePtr otherScene,
         bool needsSight);
  /// Between straight pixels of two cameras.
  SeenBy(const camera::Camera& eye, const RayScenePtr& scene, int surface, const camera::Camera& other,
         bool needsSight);
  bool intricateWithin(const Vec2 (&corners)[4]) const override;

 protected:
  void project(Met& met, size_t n, Vec2* at) const override;
  int pieceOf(const Vec2& at) const override { return other_->pieceOf(at); }

 private:
  /// Takes met points along to where their surface stands for the other camera.
  void carry(Met& met, size_t n) const;
  view::ViewPtr other_;
  RayScenePtr otherScene_;
  bool needsSight_;
  bool moves_ = false;
  OcclusionMask inItsWay_;
};

/// ...from a picture of width x height pixels wrapped on the surface (see uvOf).
class Unwrapped : public OntoSurface {
 public:
  Unwrapped(view::ViewPtr eye, RayScenePtr scene, int surface, double width, double height);

 protected:
  void project(Met& met, size_t n, Vec2* at) const override;

 private:
  Surface surface_;
  double width_, height_;
};

}  // namespace zentil::set
