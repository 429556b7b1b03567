#pragma once
#include <vector>

#include "core/comp/fill_render.h"

namespace zentil::comp {

/// All frames averaged, as the first would see it, `FillBuilder::fine` pixels for one of its own.
struct Averaged {
  image::Picture colour;  ///< alpha 0 where no frame shows anything
  image::Picture frames;  ///< how many frames stand in each, as their weights count
  size_t bytes() const { return colour.bytes() + frames.bytes(); }
};
/// What of it lies under some regions (fine pixels), in whole tiles; each is made once and kept. In every pixel what
/// differs from most frames is left out (Tukey's weights about the median); sharper frames count more. Where it is
/// `closed`, what no frame shows has colours from around it, and 0 frames still.
Averaged averagedOver(const evaluate::Layer& layer, const FillBuilder& gathering, const std::vector<Box>& regions,
                      bool closed, RenderCache& cache);
/// The regions that a part of a frame is read from, by the map that leads there; where `wanted`, a matte of that part,
/// is 0 nothing is read.
std::vector<Box> neededBy(const map::Map& toFine, const Box& region, const image::Picture* wanted);

}  // namespace zentil::comp
