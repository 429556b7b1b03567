#pragma once
#include "core/comp/render_cache.h"
#include "core/map/resample.h"

namespace zentil::comp {

/// A plate's frame without its lens, over `box` (straight pixels; see evaluate::Timeline::straight).
image::Picture straightened(const image::Picture& plate, const evaluate::SceneState& stage, const Box& box,
                            map::Filter filter);

/// The frame that a held source takes its pixels from: the plate's own, or its clean picture. A clean picture as large
/// as the plate stands for the plate. One as large as the straight picture is taken for a straight plate that was
/// painted on: where it differs from the plate straightened here it is bent back, and everywhere else the plate's own
/// pixels are used, so that what nobody touched is not filtered again. Throws Error for any other size.
RenderCache::FramePtr heldFrame(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache);

}  // namespace zentil::comp
