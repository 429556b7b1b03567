#pragma once
#include "core/image/picture.h"

namespace zentil::comp {

/// How many pixels to each side a Gaussian of this standard deviation reads: beyond them less than 1e-4 of it lies.
int gaussianReach(double sigmaPx);
/// All channels blurred in place; beyond the picture it goes on as at its border.
void blur(image::Picture& picture, double sigmaPx);

}  // namespace zentil::comp
