#pragma once
#include <array>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <span>
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/base/geometry.h"
#include "core/element/needs.h"
#include "core/value/setting.h"

namespace zentil::element {

/// What a stroke does to the pixels under it.
enum class BrushTool {
  Clone,   ///< pixels from so far away, of this frame or another
  Colour,  ///< one colour
  Light,   ///< lighter or darker by stops
  Blur,
  Smear,  ///< pixels carried along
  Erase,  ///< what was painted before
  Close,  ///< a hole closed from around it
  Even,   ///< a narrow shadow or stain along the way: brought to the level on both its sides
  Lift,   ///< a shadow under the brush: each pixel relit as far as its hue says that it lies in shade
};
inline std::span<const char* const> namesOf(BrushTool) {
  static constexpr const char* kNames[] = {"clone", "colour", "light", "blur", "smear",
                                           "erase", "close",  "even",  "lift"};
  return kNames;
}

/// What a pen's pressure changes.
enum class Pressure { Nothing, Size, Flow, Both };
inline std::span<const char* const> namesOf(Pressure) {
  static constexpr const char* kNames[] = {"nothing", "size", "flow", "both"};
  return kNames;
}

struct Brush {
  BrushTool tool = BrushTool::Clone;
  double sizePx = 40;     ///< across, at full pressure
  double hardness = 0.5;  ///< of its radius that is full
  double opacity = 1;     ///< the most that a stroke covers
  double flow = 1;        ///< what each dab covers
  double spacing = 0.1;   ///< between dabs, parts of its size
  Pressure pressure = Pressure::Size;
  std::array<double, 3> colour{0.18, 0.18, 0.18};  ///< colour: scene-linear RGB
  double stops = 0.25;                             ///< light: brighter by so many
  double blurPx = 3;                               ///< blur: its sigma
  double smear = 0.8;                              ///< smear: how much of what it carries stays
  Vec2 offset = Vec2(60, 0);                       ///< clone: pixels to the right and down of what it covers
  bool otherFrame = false;                         ///< clone: from another frame, by way of what carries the place
  int fromFrame = 0;
  std::string fromPlate;  ///< clone, from another frame: of which plate; empty: the one that is worked on
  bool operator==(const Brush&) const = default;
};

/// Where a pen was, in pixels, and how hard it pressed (0 to 1).
struct PenPoint {
  double x = 0, y = 0, pressure = 1;
  bool operator==(const PenPoint&) const = default;
};

/// A pen's way. What it holds is shared between a shot's values.
class PenPath {
 public:
  PenPath() = default;
  explicit PenPath(std::vector<PenPoint> points);
  std::span<const PenPoint> points() const { return points_ ? std::span(*points_) : std::span<const PenPoint>(); }
  uint64_t key() const { return key_; }
  bool operator==(const PenPath& o) const;

 private:
  std::shared_ptr<const std::vector<PenPoint>> points_;
  uint64_t key_ = 0;
};
/// [x, y, pressure, x, y, pressure, ...]
nlohmann::json asJson(const PenPath& penPath);
/// Throws Error for what is no pen's way: numbers that are not finite or far beyond any picture.
void fromJson(const nlohmann::json& j, PenPath& penPath);

struct Stroke {
  std::string id, name;
  bool on = true;
  Brush brush;
  PenPath penPath;
  FrameRange range;  ///< frames it shows on; empty: all that the element shows on
  bool operator==(const Stroke&) const = default;

  bool shows(int frame) const { return on && (range.count() == 0 || range.contains(frame)); }
};

/// A source: strokes on the picture as it stands below the element on one frame, kept in that frame's pixels; and under
/// them what another program painted on it.
struct Paint {
  static constexpr const char* kKind = "paint";
  int frame = 0;
  std::vector<Stroke> strokes;
  Brush brush;           ///< for the next stroke
  std::string sent;      ///< the picture as another program was given it
  std::string returned;  ///< ...and as it came back: where the two differ it is painted
  bool operator==(const Paint&) const = default;

  Needs needsAt(int) const {
    Needs n;
    n.stage = frame, n.below = frame;
    n.eachBySight = true;
    for (const auto& s : strokes)
      if (s.on && s.brush.tool == BrushTool::Clone && s.brush.otherFrame)
        n.alsoRead({s.brush.fromPlate, {}, s.brush.fromFrame});
    for (const auto& file : {sent, returned})
      if (!file.empty()) n.reads.push_back({{}, image::stillOf(file), frame});
    return n;
  }
  std::string freshStrokeId() const;
  Stroke* stroke(const std::string& id);
};

template <typename See>
void describe(const Brush*, See&& see) {
  using value::label;
  see("tool", &Brush::tool, label("kind of stroke"));
  see("sizePx", &Brush::sizePx, label("size").within(0.5, 4000).in("px", 0).by(2));
  see("hardness", &Brush::hardness, label("hardness").within(0, 1).shown(100, "%").by(5));
  see("opacity", &Brush::opacity, label("strength").within(0, 1).shown(100, "%").by(5));
  see("flow", &Brush::flow, label("flow").within(0.01, 1).shown(100, "%").by(5));
  see("spacing", &Brush::spacing, label("spacing").within(0.02, 5).shown(100, "%").by(1));
  see("pressure", &Brush::pressure, label("what pressure changes"));
  see("colour", &Brush::colour, label("colour").within(0, 1000).in("", 3).by(0.01));
  see("stops", &Brush::stops, label("stops").within(-10, 10).in("stops", 2).by(0.05));
  see("blurPx", &Brush::blurPx, label("blur").within(0.1, 100).in("px", 1).by(0.5));
  see("smear", &Brush::smear, label("smear").within(0, 1).shown(100, "%").by(5));
  see("offset", &Brush::offset, label("offset").within(-20000, 20000).in("px", 1).by(1));
  see("otherFrame", &Brush::otherFrame, label("taking from another frame"));
  see("fromFrame", &Brush::fromFrame, label("frame it is taken from").frame());
  see("fromPlate", &Brush::fromPlate, label("plate it is taken from").of("plates", "the plate"));
}
template <typename See>
void describe(const Stroke*, See&& see) {
  using value::label;
  see("id", &Stroke::id, label("id"));
  see("name", &Stroke::name, label("name").nonRendering());
  see("on", &Stroke::on, label("showing"));
  see("brush", &Stroke::brush, label("brush"));
  see("penPath", &Stroke::penPath, label("pen path"));
  see("range", &Stroke::range, label("frames it shows on").frame());
}
template <typename See>
void describe(const Paint*, See&& see) {
  using value::label;
  see("frame", &Paint::frame, label("frame it is painted on").frame());
  see("strokes", &Paint::strokes, label("strokes"));
  see("brush", &Paint::brush, label("brush").nonRendering());
  see("sent", &Paint::sent, label("picture as it was sent").file());
  see("returned", &Paint::returned, label("picture as it came back").file());
}

}  // namespace zentil::element
