#pragma once
#include "core/comp/render_cache.h"

namespace zentil::comp {

/// Mattes over a region of a moment's frame, combined, 0..1; without any, 1 everywhere. Throws Error when one cannot
/// ride to here or a picture of one cannot be read.
image::Picture coverOver(const std::vector<evaluate::Cover>& covers, const evaluate::SceneState& here,
                         const Box& region, RenderCache& cache);

/// The part of the frame outside which the covers are 0 for certain.
Box coverBox(const std::vector<evaluate::Cover>& covers, const evaluate::SceneState& here, RenderCache& cache);

/// A shape of a matte as it lies on a frame: a closed line in plate pixels.
struct Outline {
  std::vector<Vec2> points;
  bool adds = true;   ///< to what its matte's shapes before it cover; else it takes away
  double softPx = 0;  ///< how far its edge softens outwards
};
/// The outlines of a matte's shapes, carried to here. `others`: how many of its parts have none (pictures, keys, what
/// is inverted or kept inside). Throws Error when one cannot ride to here.
std::vector<Outline> outlinesOf(const evaluate::Cover& cover, const evaluate::SceneState& here, RenderCache& cache,
                                int& others);

}  // namespace zentil::comp
