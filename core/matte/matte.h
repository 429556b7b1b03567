#pragma once
#include <algorithm>
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/image/picture.h"
#include "core/matte/content.h"
#include "core/value/value.h"

namespace zentil::matte {

enum class Follows { Screen, Surface, Region };
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
  Follows follows = Follows::Surface;
  std::string surface;  ///< what it rides; empty: the element's own surface
  int region = -1;      ///< the followed region that it rides
  Combine combine = Combine::Add;
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
  bool removal = false;  ///< what has to go: kept out of tracking, never taken as a source from any frame
  value::Unknown unknown;
  bool operator==(const Matte&) const;

  const Part* part(const std::string& id) const;
  Part* part(const std::string& id) { return const_cast<Part*>(std::as_const(*this).part(id)); }
  /// "p1", "p2": an id that no part has yet.
  std::string freshPartId() const;
};

inline std::span<const char* const> namesOf(Follows) {
  static constexpr const char* kNames[] = {"screen", "surface", "region"};
  return kNames;
}
inline std::span<const char* const> namesOf(Combine) {
  static constexpr const char* kNames[] = {"add", "subtract", "intersect"};
  return kNames;
}
template <typename See>
void describe(const Part*, See&& see) {
  using value::label;
  see("id", &Part::id, label("id"));
  see("name", &Part::name, label("name").nonRendering());
  see("on", &Part::on, label("part on or off"));
  see("content", &Part::content, label("content"));
  see("follows", &Part::follows, label("follow"));
  see("surface", &Part::surface, label("surface it follows").of("surfaces", "its own surface"));
  see("region", &Part::region, label("region it follows"));
  see("combine", &Part::combine, label("combining"));
  see("inverted", &Part::inverted, label("inverting"));
  see("softPx", &Part::softPx, label("softness").within(0, 500).in("px", 0).by(1));
  see("growPx", &Part::growPx, label("growth").within(-500, 500).in("px", 1).by(0.5));
  see("shiftPx", &Part::shiftPx, label("shift").within(-1e5, 1e5).in("px", 1).by(0.5));
}
template <typename See>
void describe(const Matte*, See&& see) {
  using value::label;
  see("id", &Matte::id, label("id"));
  see("name", &Matte::name, label("name").nonRendering());
  see("parts", &Matte::parts, label("parts"));
  see("inverted", &Matte::inverted, label("inverting"));
  see("removal", &Matte::removal, label("matte's role").nonRendering());
}

/// A coverage grown (or shrunk) and softened outwards, for what is not drawn.
image::Picture grown(const image::Picture& matte, double growPx, double softPx);

/// The shapes that it consists of; null for something else.
inline RotoShapes* shapesIn(Content& content) { return std::get_if<RotoShapes>(&content); }
inline const RotoShapes* shapesIn(const Content& content) { return std::get_if<RotoShapes>(&content); }
/// A part's shapes; null for a part of something else.
inline RotoShapes* shapesOf(Part& part) { return std::get_if<RotoShapes>(&part.content); }
inline const RotoShapes* shapesOf(const Part& part) { return std::get_if<RotoShapes>(&part.content); }
/// The first part that has shapes, or null.
inline const Part* firstOfShapes(const Matte& matte) {
  const auto it = std::find_if(matte.parts.begin(), matte.parts.end(), [](const Part& p) { return shapesOf(p); });
  return it == matte.parts.end() ? nullptr : &*it;
}

}  // namespace zentil::matte
