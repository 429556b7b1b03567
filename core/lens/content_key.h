#pragma once
#include "core/lens/lens.h"
#include "core/value/hash.h"

namespace zentil::lens {

/// Adds all that a lens does to pixels: its values, and its ST maps by their files as they are now.
void addTo(value::Hasher& h, const LensOnPixels& lens);

}  // namespace zentil::lens
