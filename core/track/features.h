#pragma once
#include "core/image/picture.h"
#include "core/value/setting.h"

namespace zentil::track {

/// What automatic tracking is asked for.
struct TrackSettings {
  int count = 900;       ///< features wanted on every frame
  double spacing = 16;   ///< least distance between them where they start, pixels
  double strength = 10;  ///< least texture: the weaker gradient of a corner over the grain's, as a ratio
  int least = 8;         ///< shorter tracks are dropped, frames
  int half = 10;         ///< a pattern is 2 half + 1 pixels wide
  bool operator==(const TrackSettings&) const = default;
};

template <typename See>
void describe(const TrackSettings*, See&& see) {
  using value::label;
  see("count", &TrackSettings::count, label("features").within(1, 20000).by(20).in("", 0).nonRendering());
  see("spacing", &TrackSettings::spacing, label("spacing").within(2, 1000).by(1).in("px", 0).nonRendering());
  see("strength", &TrackSettings::strength, label("strength").within(0, 1000).by(1).in("", 0).nonRendering());
  see("least", &TrackSettings::least, label("shortest track").within(2, 10000).by(1).in("frames", 0).nonRendering());
  see("patternRadiusPx", &TrackSettings::half, label("pattern").within(2, 200).by(1).in("px", 0).nonRendering());
}

/// Corners worth following on one frame, strongest first in each part of the frame, `spacing` from each other and from
/// `taken` (Shi and Tomasi 1994, Good Features to Track).
std::vector<Vec2> featuresOf(const image::Picture& frame, const TrackSettings& question,
                             const std::vector<Vec2>& taken = {}, const image::Picture* allowed = nullptr);

}  // namespace zentil::track
