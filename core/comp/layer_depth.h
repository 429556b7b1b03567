#pragma once
#include "core/comp/layer.h"

namespace zentil::comp {

/// How deep a layer stands at each pixel where it shows (`colour`: the layer itself): one channel over it, metres along
/// the view's axis, or the distance where the view has no pinhole; infinity for what is at infinity, 0 where nothing
/// shows. Throws Error for what stands nowhere in the world: on the screen, on a region, a render without a depth pass.
image::Picture layerDepth(const evaluate::FrameState& state, const evaluate::Layer& layer, const image::Picture& colour,
                          RenderCache& cache);

/// Where each pixel of a layer goes until the next frame, px: four channels over it (right, down, 0, and 1 where that
/// is known); empty where a render says nothing of it. `next`: the next frame's scene, seen from its view. Throws Error
/// as layerDepth does.
image::Picture layerMotion(const evaluate::FrameState& state, const evaluate::Layer& layer,
                           const image::Picture& colour, const evaluate::SceneState& next, RenderCache& cache);

}  // namespace zentil::comp
