#pragma once
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::shot {

/// Looks at pictures that elements name by a file alone, without a size, as if the file had been chosen in a dialog:
/// size, range, movie or sequence. What a person wrote beside the name stays. Returns what cannot be opened, in words.
std::vector<std::string> openSourceFiles(Shot& shot);

}  // namespace zentil::shot
