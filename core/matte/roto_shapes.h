#pragma once
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/image/picture.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::matte {

/// A point of a shape with its two Bezier handles, as offsets from the point, in plate pixels.
struct ShapePoint {
  Vec2 at = Vec2::Zero(), in = Vec2::Zero(), out = Vec2::Zero();
  double featherPx = -1;  ///< how far the edge softens outwards here; below 0: as its part says
  bool operator==(const ShapePoint&) const = default;
};
using ShapePoints = std::vector<ShapePoint>;

/// A closed curve of cubic Bezier pieces that adds to its part or takes away from it.
struct Shape {
  value::Value<ShapePoints> points;
  bool adds = true;
  bool operator==(const Shape&) const = default;
};

/// Shapes drawn on one frame, in plate pixels.
struct RotoShapes {
  static constexpr const char* kKind = "shapes";
  static constexpr bool kCanFollow = true;
  std::vector<Shape> shapes;
  int frame = 0;  ///< the frame whose pixels they are drawn in
  bool operator==(const RotoShapes&) const = default;
};

template <typename See>
void describe(const ShapePoint*, See&& see) {
  using value::label;
  see("at", &ShapePoint::at, label("point").within(-1e6, 1e6));
  see("in", &ShapePoint::in, label("handle").within(-1e6, 1e6));
  see("out", &ShapePoint::out, label("handle").within(-1e6, 1e6));
  see("featherPx", &ShapePoint::featherPx, label("softness").within(-1, 500));
}
template <typename See>
void describe(const Shape*, See&& see) {
  see("points", &Shape::points, value::label("shape"));
  see("adds", &Shape::adds, value::label("adding"));
}
template <typename See>
void describe(const RotoShapes*, See&& see) {
  see("shapes", &RotoShapes::shapes, value::label("shapes"));
  see("frame", &RotoShapes::frame, value::label("frame it is drawn on").frame());
}

/// A shape as a polygon, `steps` lines a piece.
std::vector<Vec2> flatten(const ShapePoints& points, int steps = 16);

/// Shapes with their softness and growth, without keys: plain numbers.
struct RotoShapesNow {
  struct Curve {
    ShapePoints points;
    bool adds = true;
    bool operator==(const Curve&) const = default;
  };
  std::vector<Curve> curves;
  double softPx = 0, growPx = 0;
  bool operator==(const RotoShapesNow&) const = default;
};

/// Shapes that have no keys (any more).
RotoShapesNow constant(const RotoShapes& shapes, double softPx, double growPx);

/// The smallest box that holds all shapes with their feather; empty without shapes.
Box boundsOf(const RotoShapesNow& drawn);

/// Coverage of the shapes on their own frame: 1 inside, falling smoothly (3t^2 - 2t^3) to 0 over the feather outside,
/// with an antialiased edge where there is no feather, everything pushed outwards by growPx. Self-crossing curves count
/// by the even-odd rule. Data window: boundsOf, whether inside the frame or not.
image::Picture rasterise(const RotoShapesNow& drawn, const Box& display);

/// A content key of all of it.
uint64_t keyOf(const RotoShapesNow& drawn);

}  // namespace zentil::matte
