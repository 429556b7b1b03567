#pragma once
#include <array>

#include "core/comp/layer.h"

namespace zentil::comp {

/// How the plate's light around a layer's cover stands to the layer's own: a gain a channel, and how its logarithm
/// changes over the picture.
struct LightAround {
  bool known = false;
  Vec2 centre = Vec2::Zero();  ///< plate pixels
  std::array<double, 3> logGain{};
  std::array<Vec2, 3> perPx{Vec2::Zero(), Vec2::Zero(), Vec2::Zero()};
  size_t bytes() const { return sizeof *this; }
};

/// A place where two lights are compared: the logarithm of their ratio, a channel each.
struct LightTile {
  Vec2 at;
  std::array<double, 3> logRatio;
};
/// The plane through what tiles say, a channel each, with Tukey's weights; `unit` pixels are what a slope is held small
/// over where tiles hardly tell it. Unknown for fewer than four tiles.
LightAround lightThrough(const std::vector<LightTile>& tiles, bool sloped, double unit);

/// The light on one frame: the layer's source and the plate are compared in tiles around the cover, where both are
/// seen, away from what has to go; a plane is fitted to the logarithms of their ratios with Tukey's weights, so that
/// what passes loses its vote. `sloped` false: the level alone. Unknown where fewer than four tiles can be compared.
LightAround lightAround(const evaluate::FrameState& state, const evaluate::Layer& layer, bool sloped,
                        RenderCache& cache);

/// The light of a layer that follows: the frames nearby, averaged, the nearer the more. Throws Error when nothing can
/// be compared on any of them.
LightAround lightOver(const evaluate::Layer& layer, RenderCache& cache);

/// Lays that light on the layer; `toPlate`: from the layer's pixels to the plate's, null where they are those.
void applyLight(image::Picture& layer, const LightAround& light, const map::Map* toPlate);

}  // namespace zentil::comp
