#pragma once
#include "core/comp/layer.h"

namespace zentil::comp {

/// Whether what an element shows is, or was, pixels of a plate seen by a camera: a patch, a fill, paint. A picture, a
/// checker, CG are none. False where it shows nothing on this frame.
bool isOfPlate(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache);

}  // namespace zentil::comp
