#pragma once
#include "core/solve/worlds.h"

namespace zentil::solve {

/// The camera that moves before one plane, which all tracks lie on but for those that are left out. Where another
/// answer explains it nearly as well, that is said (Solved::doubt). Throws Error where too few frames see it together,
/// where nothing moves, and for a camera that zooms.
Solved beforePlane(const SolveProblem& subject);

}  // namespace zentil::solve
