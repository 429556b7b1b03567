#pragma once
#include "core/comp/workshop.h"

namespace zentil::comp {

/// Mattes over a region of a moment's frame, combined, 0..1; without any, 1 everywhere. Throws Error when one cannot
/// ride to here or a picture of one cannot be read.
image::Picture coverOver(const std::vector<moment::Cover>& covers, const moment::Stage& here, const Box& region,
                         Workshop& workshop);

/// The part of the frame outside which the covers are 0 for certain.
Box coverBox(const std::vector<moment::Cover>& covers, const moment::Stage& here, Workshop& workshop);

}  // namespace zentil::comp
