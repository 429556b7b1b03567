#pragma once
#include "core/image/plate.h"

namespace zentil::image {

/// A frame as readFrame() gives it, of which only these rows of the display window are wanted: of a file that is
/// written row by row no others are decoded. The picture's data window says which came (all of a movie's, or of one in
/// tiles).
Frame readRows(const Plate& plate, int frame, int y0, int y1);

}  // namespace zentil::image
