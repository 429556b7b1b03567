#pragma once
#include "core/comp/render_cache.h"
#include "core/solve/object.h"

namespace zentil::estimate {

/// The move of what the shot's object matte is around (or of all that moves by itself: by the last solve where there is
/// one, else by what does not stay in the picture), from the shot's tracks, before its camera. Throws Error as
/// solve::solveObject does, for a sphere, and for a matte that is gone.
solve::ObjectAnswer solveObject(const shot::Shot& shot, comp::RenderCache& cache, const Job& job = {});

}  // namespace zentil::estimate
