#pragma once
#include "core/comp/render_cache.h"
#include "core/map/resample.h"

namespace zentil::comp {

/// Whether a scene is looked at from where its frame's camera stands: then no depth is needed to find the plate's
/// pixel.
bool seesFromPlate(const evaluate::SceneState& here);
/// From a scene's pixels to those of its frame's plate, in which the screen, regions and mattes are; by way of what is
/// far away where both look from one place, else by way of the set. Null where they are the same.
map::MapPtr toPlate(const evaluate::SceneState& here, RenderCache& cache);
/// And back.
map::MapPtr fromPlate(const evaluate::SceneState& here, RenderCache& cache);
/// From a scene's pixels to another's, by a map between the pixels of their plates (null: the same pixel).
map::MapPtr throughPlates(const evaluate::SceneState& here, const map::MapPtr& onPlate,
                          const evaluate::SceneState& there, RenderCache& cache);
/// The part of a scene's frame on which a box of its plate's pixels lands.
Box boxFromPlate(const Box& onPlate, const evaluate::SceneState& here, RenderCache& cache);
/// The plate's scene in a box that holds all of its pixels that a scene looks at: for what is drawn beyond the frame.
evaluate::SceneState platePixelsOf(const evaluate::SceneState& here, RenderCache& cache);

/// The plate as the lowest layer, over a region of a frame state's pixels: as shot its own pixels unchanged, from
/// another view one resampling of them; transparent where it does not reach. With `softEdgePx` it fades out over so
/// many of its pixels within its edge. Throws Error without a plate.
image::Picture plateLayer(const evaluate::FrameState& state, const Box& region, double softEdgePx, map::Filter filter,
                          RenderCache& cache);

/// A picture in the plate's pixels as a sphere's output view shows it. Where its pixels come from is kept: a sphere is
/// looked at alike on many frames.
image::Picture sphereThrough(const view::OutputView& output, const image::Picture& plate, map::Filter filter,
                             RenderCache& cache);

}  // namespace zentil::comp
