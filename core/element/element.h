#pragma once
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/element/finish_stages.h"
#include "core/element/place.h"
#include "core/element/source.h"
#include "core/matte/matte.h"
#include "core/value/value.h"

namespace zentil::element {

enum class Merge { Over, Plus, Screen, Multiply };
inline std::span<const char* const> namesOf(Merge) {
  static constexpr const char* kNames[] = {"over", "plus", "screen", "multiply"};
  return kNames;
}

/// How an element is laid, and what happens to it before.
struct Look : FinishStages {
  value::Value<double> opacity = 1.0;
  Merge merge = Merge::Over;
  value::Value<double> shutter = 0.0;  ///< blurred along its motion over so much of a frame's time
  /// Whether there is a match at all that could apply.
  bool hasMatch() const;
  bool operator==(const Look&) const = default;
};

/// A matte that takes part in where an element is let through.
struct CoverPart {
  std::string matte;  ///< id
  matte::Combine combine = matte::Combine::Intersect;
  bool inverted = false;
  bool operator==(const CoverPart&) const = default;
};

/// One thing added to the picture: what it shows, where it lands, where it is let through, how it is laid.
struct Element {
  Element();
  Element(const Element&);
  Element(Element&&) noexcept;
  Element& operator=(const Element&);
  Element& operator=(Element&&) noexcept;
  ~Element();

  std::string id, name;
  bool on = true;
  FrameRange range;  ///< frames it shows on; empty: the whole shot
  Source source;
  Place place;
  std::vector<CoverPart> cover;  ///< empty: everywhere; the first counts by itself, whatever its `how`
  Look look;
  value::Unknown unknown;
  bool operator==(const Element&) const;

  bool shows(int frame) const { return on && (range.count() == 0 || range.contains(frame)); }
  /// The same, and its source has something to show there: a sequence may begin later, or have ended.
  bool showsSomething(int frame) const;
  /// Its source when it is of this kind, else null.
  template <typename Kind>
  const Kind* from() const {
    return std::get_if<Kind>(&source);
  }
  template <typename Kind>
  Kind* from() {
    return std::get_if<Kind>(&source);
  }
  /// The surface it lands on; empty for none.
  std::string surface() const { return surfaceOf(place); }
  /// The first matte of its cover; empty for none.
  std::string matte() const { return cover.empty() ? std::string() : cover.front().matte; }
};

template <typename See>
void describe(const Look* look, See&& see) {
  using value::label;
  see("opacity", &Look::opacity, label("strength").within(0, 1).shown(100, "%").by(5));
  see("merge", &Look::merge, label("merging"));
  see("shutter", &Look::shutter, label("motion blur").within(0, 2).shown(100, "%").by(10));
  describeStages(static_cast<const FinishStages*>(look), see);
}
template <typename See>
void describe(const CoverPart*, See&& see) {
  using value::label;
  see("matte", &CoverPart::matte, label("matte").of("mattes"));
  see("combine", &CoverPart::combine, label("combining"));
  see("inverted", &CoverPart::inverted, label("inverting"));
}
template <typename See>
void describe(const Element*, See&& see) {
  using value::label;
  see("id", &Element::id, label("id"));
  see("name", &Element::name, label("name").nonRendering());
  see("on", &Element::on, label("showing"));
  see("range", &Element::range, label("frames it shows on").frame().nonRendering());
  see("source", &Element::source, label("source"));
  see("place", &Element::place, label("place"));
  see("cover", &Element::cover, label("cover"));
  see("look", &Element::look, label("look"));
}

/// Lays a premultiplied layer on the plate's pixels, in place, where the layer's alpha is above 0; all other pixels are
/// not touched. over: l + p (1 - a); plus: p + l; screen: l + p - l p (on 0..1); multiply: p (1 - a) + l p. (Porter and
/// Duff 1984, Compositing Digital Images, for over and plus.)
void merge(const image::Picture& layer, Merge combine, image::Picture& onto);

}  // namespace zentil::element
