#pragma once
#include "core/comp/workshop.h"

namespace zentil::comp {

/// A 2:1 picture with a rim of pixels from where its ends meet: beyond the left edge what is at the right one, beyond a
/// pole what is on its other side. Filters then read across the date line and the poles as if there were none.
image::Picture withRim(const image::Picture& sphere, int rim);

/// A frame's picture for reading: with a rim where the stage's picture is a sphere, as it is otherwise.
std::shared_ptr<const image::Picture> readable(const Workshop::FramePtr& frame, uint64_t key, bool around,
                                               Workshop& workshop);

}  // namespace zentil::comp
