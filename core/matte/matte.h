#pragma once
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/image/picture.h"
#include "core/image/plate.h"

namespace zentil::matte {

/// A point of a shape with its two Bezier handles, as offsets from the point, in plate pixels.
struct ShapePoint {
  Vec2 at = Vec2::Zero(), in = Vec2::Zero(), out = Vec2::Zero();
  double featherPx = -1;  ///< how far the edge softens outwards here; below 0: as the matte says
  bool operator==(const ShapePoint&) const = default;
};

/// A closed curve of cubic Bezier pieces that adds to the matte or takes away from it.
struct Shape {
  std::vector<ShapePoint> points;
  bool adds = true;
  bool operator==(const Shape&) const = default;
};

enum class Rides { Screen, Surface, Region };

/// Where an element shows: shapes drawn on one frame, in plate pixels, and/or an image sequence; possibly turned
/// around.
struct Matte {
  std::string id, name;
  std::vector<Shape> shapes;
  int frame = 0;         ///< the frame the shapes are drawn on
  double featherPx = 0;  ///< overall softening, outwards
  Rides rides = Rides::Surface;
  std::string surface;    ///< what it rides; empty: the element's own surface
  int region = -1;        ///< the followed region that it rides
  image::Plate pictures;  ///< an image-sequence matte (alpha if the files have one, else red); empty: none
  bool inverted = false;
  bool operator==(const Matte&) const = default;
};

/// A shape as a polygon, `steps` lines a piece.
std::vector<Vec2> flatten(const Shape& shape, int steps = 16);

/// The smallest box that holds all shapes with their feather; empty without shapes.
Box boundsOf(const Matte& matte);

/// Coverage of the shapes on their own frame: 1 inside, falling smoothly (3t^2 - 2t^3) to 0 over the feather outside,
/// with an antialiased edge where there is no feather. Self-crossing curves count by the even-odd rule. Data window:
/// boundsOf, whether inside the frame or not. `inverted` is not applied.
image::Picture rasterise(const Matte& matte, const Box& display);

}  // namespace zentil::matte
