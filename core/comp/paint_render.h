#pragma once
#include "core/comp/layer.h"
#include "core/retouch/canvas.h"

namespace zentil::comp {

/// The picture that an element of paint is painted on: as it stands below it, on its frame. Throws Error where that
/// cannot be made.
std::shared_ptr<const image::Picture> paintedOn(const evaluate::Layer& layer, RenderCache& cache);

/// Its canvas, with the strokes that show on the layer's frame. Kept; one that has a stroke more than another is made
/// from that one.
std::shared_ptr<const retouch::Canvas> canvasOf(const evaluate::Layer& layer, RenderCache& cache);

/// What a brush takes from another frame, by way of what carries the place; empty for a brush that takes nothing from
/// there. The frame has to be among those that the layer's source needs.
retouch::Stroking::Elsewhere elsewhereOf(const element::Brush& brush, const evaluate::Layer& layer, RenderCache& cache);

}  // namespace zentil::comp
