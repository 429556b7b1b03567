#pragma once
#include <vector>

#include "core/image/picture.h"

namespace zentil::lens {

/// Moves every point of a polyline, across it and by `reach` pixels at the most, onto the strongest edge there: the
/// steepest change of brightness, averaged along the line, to a fraction of a pixel by the middle of the
/// steep stretch. A point with no edge near stays where it is.
std::vector<Vec2> snapToEdges(const image::Picture& picture, const std::vector<Vec2>& points, double reach);

}  // namespace zentil::lens
