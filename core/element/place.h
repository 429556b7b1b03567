#pragma once
#include <string>
#include <variant>

#include "core/value/setting.h"
#include "core/value/value.h"
#include "core/view/far_picture.h"

namespace zentil::element {

// Each kind says where it is (kWhere), and whether a source that a camera saw is seen there by way of that camera
// (kNeedsCamera).

/// On a surface of the set.
struct OnSurface {
  static constexpr const char* kKind = "surface";
  static constexpr const char* kWhere = "on a surface";
  static constexpr bool kNeedsCamera = true;
  std::string surface;  ///< id
  bool operator==(const OnSurface&) const = default;
};
/// Where the camera sees it, without a place in the world: for what was rendered through it.
struct ThroughCamera {
  static constexpr const char* kKind = "camera";
  static constexpr const char* kWhere = "through the camera";
  static constexpr bool kNeedsCamera = true;
  bool operator==(const ThroughCamera&) const = default;
};
/// So far away that only the camera's turning moves it: a sky, a far shore. It stands with the world: yaw from straight
/// ahead (-Z) to the right, then pitch up, then roll clockwise, degrees; as wide as fovDegrees across a flat picture,
/// or a 2:1 picture of all around, whose middle looks there. What a camera saw is far away as that saw it.
struct AtInfinity {
  static constexpr const char* kKind = "infinity";
  static constexpr const char* kWhere = "far behind";
  static constexpr bool kNeedsCamera = true;
  value::Value<double> yaw = 0.0, pitch = 0.0, roll = 0.0, fovDegrees = 60.0;
  view::FarPicture picture = view::FarPicture::Flat;
  bool behindSet = true;  ///< hidden by surfaces that hide
  bool operator==(const AtInfinity&) const = default;
};
/// In a flat view that was steered out of a 2:1 picture, given back to it: yaw to the right, then pitch up, then roll
/// clockwise, degrees; as wide as fovDegrees across the source's picture.
struct InFlatView {
  static constexpr const char* kKind = "flat view";
  static constexpr const char* kWhere = "in a flat view";
  static constexpr bool kNeedsCamera = true;
  value::Value<double> yaw = 0.0, pitch = 0.0, roll = 0.0, fovDegrees = 90.0;
  bool ofWorld = false;  ///< steered in the world's axes, so that it stands still where the sphere turned
  bool operator==(const InFlatView&) const = default;
};
/// On a region that was followed, as it goes: without a camera, for what is flat.
struct OnRegion {
  static constexpr const char* kKind = "region";
  static constexpr const char* kWhere = "on a region";
  static constexpr bool kNeedsCamera = false;
  int region = -1;  ///< id
  bool operator==(const OnRegion&) const = default;
};
/// On the screen, whatever the camera does.
struct OnScreen {
  static constexpr const char* kKind = "screen";
  static constexpr const char* kWhere = "on the screen";
  static constexpr bool kNeedsCamera = false;
  bool operator==(const OnScreen&) const = default;
};

template <typename See>
void describe(const OnSurface*, See&& see) {
  see("surface", &OnSurface::surface, value::label("surface").of("surfaces"));
}
template <typename See>
void describe(const OnRegion*, See&& see) {
  see("region", &OnRegion::region, value::label("region"));
}
template <typename See>
void describe(const ThroughCamera*, See&&) {}
template <typename See>
void describe(const AtInfinity*, See&& see) {
  using value::label;
  see("yaw", &AtInfinity::yaw, label("yaw").within(-360, 360).in("\u00b0", 1).by(0.5));
  see("pitch", &AtInfinity::pitch, label("pitch").within(-90, 90).in("\u00b0", 1).by(0.5));
  see("roll", &AtInfinity::roll, label("roll").within(-360, 360).in("\u00b0", 1).by(0.5));
  see("fovDegrees", &AtInfinity::fovDegrees, label("field of view").within(1, 360).in("\u00b0", 1).by(1));
  see("picture", &AtInfinity::picture, label("what it covers"));
  see("behindSet", &AtInfinity::behindSet, label("behind the set"));
}
template <typename See>
void describe(const OnScreen*, See&&) {}
template <typename See>
void describe(const InFlatView*, See&& see) {
  using value::label;
  see("yaw", &InFlatView::yaw, label("yaw").within(-360, 360).in("\u00b0", 1).by(0.5));
  see("pitch", &InFlatView::pitch, label("pitch").within(-90, 90).in("\u00b0", 1).by(0.5));
  see("roll", &InFlatView::roll, label("roll").within(-360, 360).in("\u00b0", 1).by(0.5));
  see("fovDegrees", &InFlatView::fovDegrees, label("field of view").within(1, 175).in("\u00b0", 1).by(1));
  see("ofWorld", &InFlatView::ofWorld, label("locked to the world"));
}

/// Where an element lands: the one list of kinds. How each is seen is in core/comp/place.cpp.
using Place = std::variant<OnSurface, ThroughCamera, AtInfinity, OnScreen, InFlatView, OnRegion>;

inline Place onSurface(const std::string& id) { return OnSurface{id}; }
inline Place onRegion(int id) { return OnRegion{id}; }
inline Place throughCamera() { return ThroughCamera{}; }
inline Place inFlatView() { return InFlatView{}; }
inline Place onScreen() { return OnScreen{}; }
inline Place atInfinity(bool allAround = false) {
  AtInfinity far;
  far.picture = allAround ? view::FarPicture::AllAround : view::FarPicture::Flat;
  return far;
}
inline bool isAtInfinity(const Place& place) { return std::holds_alternative<AtInfinity>(place); }
/// True where a source is a picture of everything around, whose two ends meet.
inline bool isAllAround(const Place& place) {
  const auto* far = std::get_if<AtInfinity>(&place);
  return far && far->picture == view::FarPicture::AllAround;
}
inline bool isOnScreen(const Place& place) { return std::holds_alternative<OnScreen>(place); }
/// True for a place that is a surface's, whether it names one or not.
inline bool wantsSurface(const Place& place) { return std::holds_alternative<OnSurface>(place); }
/// True where a source that a camera saw is seen by way of that camera.
inline bool wantsCamera(const Place& place) {
  return std::visit([](const auto& p) { return p.kNeedsCamera; }, place);
}
/// Where, in words of a sentence.
inline const char* whereOf(const Place& place) {
  return std::visit([](const auto& p) { return p.kWhere; }, place);
}
/// The id of the surface that a place is on; empty for others.
inline std::string surfaceOf(const Place& place) {
  const auto* s = std::get_if<OnSurface>(&place);
  return s ? s->surface : std::string();
}

/// The id of the region that a place is on; -1 for others.
inline int regionOf(const Place& place) {
  const auto* r = std::get_if<OnRegion>(&place);
  return r ? r->region : -1;
}
/// True where something of the picture carries it along: a surface or a region.
inline bool isCarried(const Place& place) { return wantsSurface(place) || std::holds_alternative<OnRegion>(place); }

}  // namespace zentil::element
