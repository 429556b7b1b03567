#pragma once
#include <array>
#include <memory>

#include "core/base/geometry.h"
#include "core/camera/rolling_shutter.h"
#include "core/lens/lens.h"

namespace zentil::solve {

/// A camera in the form that solving counts in: x right, y down, looking along +z (OpenCV's way).
/// Seen from the camera, a world point X lies at turn * X + place.
struct View {
  Mat3 turn = Mat3::Identity();
  Vec3 place = Vec3::Zero();
  double zoom = 1;  ///< its focal length over Intrinsics::f
  /// Its own lens, where that changes through the shot; held. Nothing: Intrinsics::lens.
  std::shared_ptr<const lens::Lens> lens = nullptr;
  camera::RollingShutter roll;  ///< how it goes on while its rows are read; held
  /// Where it stands in the world.
  Vec3 centre() const { return -turn.transpose() * place; }
  /// As it stands so many frames later, or before; then it does not go on.
  View at(double late) const;
};

/// What all views share: a point seen from the camera at (x, y, 1) lands where the lens takes (x, y) in front of a body
/// with these values (lens::Lens::land), in plate pixels.
struct Intrinsics {
  double f = 1, cx = 0, cy = 0;
  double tall = 1;                ///< focal length down over across: how wide a pixel is over its height
  lens::Lens lens;                ///< as it is on one frame: no keys. k1 and k2 may be refined, the rest is held
  double k1Zoom = 0, k2Zoom = 0;  ///< what k1 and k2 become larger by with the logarithm of a view's zoom
  double readout = 0;             ///< as camera::CameraPath has it, over `rows`
  double rows = 0;                ///< of the plate; 0: all are read at once, and nothing is asked of readout

  /// Whether it hangs on the row when a point is seen.
  bool rolls() const { return rows > 0; }
  lens::Body body(const View& view) const { return {f * view.zoom, f * view.zoom * tall, cx, cy}; }
  const lens::Lens& lensOf(const View& view) const { return view.lens ? *view.lens : lens; }
  /// Gives a view the lens that its zoom asks for.
  void putLens(View& view) const;
  /// A view as it stands when a row is read: the view itself where all are read at once.
  View reading(const View& view, double row) const {
    return !rolls() ? view : view.at(camera::rowTimeOffset(row, readout, rows));
  }
  /// Where a world point lands; false at or behind the camera, or beyond the fold of the lens.
  /// `when`: how late its row is read.
  bool project(const View& view, const Vec3& world, Vec2& at, double* when = nullptr) const;
  /// Straight coordinates over the focal length of a place on the plate; as the plate has them where nothing straight
  /// lands there.
  Vec2 straight(const View& view, const Vec2& plate) const;
};

/// One place of one point on one view.
struct Observation {
  int view = 0, point = 0;
  Vec2 at = Vec2::Zero();
  double weight = 1;
};

/// What all views share that may be refined: f, cx, cy, k1, k2, readout, k1Zoom, k2Zoom and tall, in this order.
constexpr size_t kInner = 9;
inline std::array<double, kInner> valuesOf(const Intrinsics& i) {
  return {i.f, i.cx, i.cy, i.lens.k1, i.lens.k2, i.readout, i.k1Zoom, i.k2Zoom, i.tall};
}
inline double& value(Intrinsics& i, size_t which) {
  double* const all[kInner] = {&i.f, &i.cx, &i.cy, &i.lens.k1, &i.lens.k2, &i.readout, &i.k1Zoom, &i.k2Zoom, &i.tall};
  return *all[which];
}

}  // namespace zentil::solve
