#pragma once
#include "core/image/picture.h"
#include "core/map/map.h"

namespace zentil::map {

/// Makes the edges of a resampled picture (premultiplied) as soft as a camera sees them. Along them (`covered` is 1 on
/// one side and 0 on the other) the part of each pixel that the map leads onto the source (`source`: its data window)
/// is counted at sixteen places; the pixel is what was read there, or beside it, times that part, and `covered` becomes
/// the part. Where `wanted`, a matte of the same region, is 0 nothing is asked. For what ends where its pixels end;
/// parts of a plate that meet each other stay hard, or what is behind would shine through between them.
void softenEdges(image::Picture& picture, image::Picture& covered, const Map& map, const Box& source,
                 const image::Picture* wanted = nullptr);

}  // namespace zentil::map
