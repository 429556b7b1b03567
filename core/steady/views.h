#pragma once
#include "core/steady/path.h"
#include "core/view/output_view.h"

namespace zentil::steady {

/// A frame as the path steadies it, as large as the plate. Throws Error for a frame that it has not.
view::OutputView steadiedView(const shot::Shot& shot, const Path& path, int frame);
/// The axes that a flat view is steered in: the world's, or those of the path that steadies the sphere, or its own.
Mat3 flatAxes(const shot::Shot& shot, const Path* path, int frame, bool ofWorld);
/// A flat view out of a 2:1 frame, steered in its own axes, or in those of the path that steadies it, or in the
/// world's.
view::OutputView flatView(const shot::Shot& shot, const Path* path, int frame, const view::Steer& steer,
                          bool ofWorld = false);

}  // namespace zentil::steady
