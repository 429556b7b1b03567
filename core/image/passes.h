#pragma once
#include "core/image/plate.h"

namespace zentil::image {

/// What a renderer wrote beside a frame's colour, over the file's data window; empty where the file has none of it.
struct Passes {
  Picture depth;    ///< one channel, "Z": metres along the view's axis
  Picture forward;  ///< two, "forward.u" and "forward.v": px to the next frame's place, right and down (the file's: up)
};

/// Of an EXR's frame: the plate's layer's own, or the file's. Throws Error naming file and frame when it cannot be
/// read.
Passes readPasses(const Plate& plate, int frame);

}  // namespace zentil::image
