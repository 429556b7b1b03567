#pragma once
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/image/picture.h"
#include "core/image/plate.h"
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
struct Drawn {
  static constexpr const char* kKind = "shapes";
  std::vector<Shape> shapes;
  int frame = 0;  ///< the frame whose pixels they are drawn in
  bool operator==(const Drawn&) const = default;
};
/// An image sequence: its alpha if the files have one, else its red. It stands on the screen.
struct Pictured {
  static constexpr const char* kKind = "pictures";
  image::Plate files;
  int shift = 0;  ///< plate frame less the pictures' frame
  bool operator==(const Pictured&) const = default;
};
/// The list of what a part can consist of.
using Content = std::variant<Drawn, Pictured>;

enum class Rides { Screen, Surface, Region };
/// How a part changes what the parts before it gave: their union, what is left without it, what both have.
enum class Combine { Add, Subtract, Intersect };

/// One part of a matte.
struct Part {
  Part();
  Part(const Part&);
  Part(Part&&) noexcept;
  Part& operator=(const Part&);
  Part& operator=(Part&&) noexcept;
  ~Part();

  std::string id;
  std::string name;
  bool on = true;
  Content content;
  Rides rides = Rides::Surface;
  std::string surface;  ///< what it rides; empty: the element's own surface
  int region = -1;      ///< the followed region that it rides
  Combine how = Combine::Add;
  bool inverted = false;
  value::Value<double> softPx = 0.0;        ///< softening, outwards
  value::Value<double> growPx = 0.0;        ///< grown outwards; below 0 shrunk
  value::Value<Vec2> shiftPx = Vec2(0, 0);  ///< a correction, on the screen
  bool operator==(const Part&) const;
};

/// Where something is: parts, each added to, taken from or met with those before it. The same mattes limit elements,
/// hold out, and keep things out of tracking.
struct Matte {
  Matte();
  Matte(const Matte&);
  Matte(Matte&&) noexcept;
  Matte& operator=(const Matte&);
  Matte& operator=(Matte&&) noexcept;
  ~Matte();

  std::string id, name;
  std::vector<Part> parts;
  bool inverted = false;
  value::Unknown unknown;
  bool operator==(const Matte&) const;

  const Part* part(const std::string& id) const;
  Part* part(const std::string& id) { return const_cast<Part*>(std::as_const(*this).part(id)); }
  /// "p1", "p2": an id that no part has yet.
  std::string freshPartId() const;
};

inline std::span<const char* const> namesOf(Rides) {
  static constexpr const char* kNames[] = {"screen", "surface", "region"};
  return kNames;
}
inline std::span<const char* const> namesOf(Combine) {
  static constexpr const char* kNames[] = {"add", "subtract", "intersect"};
  return kNames;
}
template <typename See>
void describe(const ShapePoint*, See&& see) {
  using value::says;
  see("at", &ShapePoint::at, says("point").within(-1e6, 1e6));
  see("in", &ShapePoint::in, says("handle").within(-1e6, 1e6));
  see("out", &ShapePoint::out, says("handle").within(-1e6, 1e6));
  see("featherPx", &ShapePoint::featherPx, says("softness").within(-1, 500));
}
template <typename See>
void describe(const Shape*, See&& see) {
  see("points", &Shape::points, value::says("shape"));
  see("adds", &Shape::adds, value::says("adding"));
}
template <typename See>
void describe(const Drawn*, See&& see) {
  see("shapes", &Drawn::shapes, value::says("shapes"));
  see("frame", &Drawn::frame, value::says("frame it is drawn on").frame());
}
template <typename See>
void describe(const Pictured*, See&& see) {
  see("files", &Pictured::files, value::says("pictures"));
  see("shift", &Pictured::shift, value::says("shift").within(-1e6, 1e6).in("frames", 0).by(1));
}
template <typename See>
void describe(const Part*, See&& see) {
  using value::says;
  see("id", &Part::id, says("id"));
  see("name", &Part::name, says("name").quietly());
  see("on", &Part::on, says("taking part"));
  see("content", &Part::content, says("content"));
  see("rides", &Part::rides, says("ride"));
  see("surface", &Part::surface, says("surface it rides").of("surfaces", "its own surface"));
  see("region", &Part::region, says("region it rides"));
  see("how", &Part::how, says("how it counts"));
  see("inverted", &Part::inverted, says("inverting"));
  see("softPx", &Part::softPx, says("softness").within(0, 500).in("px", 0).by(1));
  see("growPx", &Part::growPx, says("growth").within(-500, 500).in("px", 1).by(0.5));
  see("shiftPx", &Part::shiftPx, says("shift").within(-1e5, 1e5).in("px", 1).by(0.5));
}
template <typename See>
void describe(const Matte*, See&& see) {
  using value::says;
  see("id", &Matte::id, says("id"));
  see("name", &Matte::name, says("name").quietly());
  see("parts", &Matte::parts, says("parts"));
  see("inverted", &Matte::inverted, says("inverting"));
}

/// A shape as a polygon, `steps` lines a piece.
std::vector<Vec2> flatten(const ShapePoints& points, int steps = 16);

/// A part's shapes as they are at a frame: plain numbers.
struct DrawnNow {
  struct Curve {
    ShapePoints points;
    bool adds = true;
    bool operator==(const Curve&) const = default;
  };
  std::vector<Curve> curves;
  double softPx = 0, growPx = 0;
  bool operator==(const DrawnNow&) const = default;
};
DrawnNow drawnAt(const Drawn& drawn, const Part& part, int frame);

/// The smallest box that holds all shapes with their feather; empty without shapes.
Box boundsOf(const DrawnNow& drawn);

/// Coverage of the shapes on their own frame: 1 inside, falling smoothly (3t^2 - 2t^3) to 0 over the feather outside,
/// with an antialiased edge where there is no feather, everything pushed outwards by growPx. Self-crossing curves count
/// by the even-odd rule. Data window: boundsOf, whether inside the frame or not.
image::Picture rasterise(const DrawnNow& drawn, const Box& display);

/// A coverage grown (or shrunk) and softened outwards, for what is not drawn.
image::Picture grown(const image::Picture& matte, double growPx, double softPx);

}  // namespace zentil::matte
