#pragma once
#include <QPointF>
#include <vector>

#include "core/set/surface.h"

class QPainter;

namespace zentil::app {

/// Between the world and a widget.
class Projector {
 public:
  virtual ~Projector() = default;
  virtual bool toScreen(const Vec3& world, QPointF& at) const = 0;
  virtual bool rayAt(const QPointF& at, Vec3& origin, Vec3& direction) const = 0;
};

/// What a surface is moved, turned and sized by, directly on the picture: its centre moves it along itself, the arrow
/// moves it along its normal, the squares at its sides size it, the round one beyond its top turns it.
class SurfaceHandles {
 public:
  enum class Kind { None, Move, Along, SizeX, SizeY, Turn };

  Kind at(const set::Surface& s, const Projector& view, const QPointF& where) const;
  void paint(QPainter& p, const set::Surface& s, const Projector& view, const QPointF& pointer) const;
  void begin(Kind kind, const set::Surface& s, const Projector& view, const QPointF& where);
  /// The surface as the drag from begin() to here makes it.
  set::Surface drag(const Projector& view, const QPointF& where) const;
  Kind active() const { return kind_; }
  void end() { kind_ = Kind::None; }
  /// Where a handle is, in the world.
  static Vec3 placeOf(Kind kind, const set::Surface& s);

 private:
  Kind kind_ = Kind::None;
  set::Surface start_;
  Vec3 grabbed_ = Vec3::Zero();
  double grabbedAlong_ = 0;
};

}  // namespace zentil::app
