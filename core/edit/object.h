#pragma once
#include "core/comp/render_cache.h"
#include "core/solve/object.h"

namespace zentil::edit {

/// The move of what the shot's object matte is around (or of all that moves by itself: by the last solve where there is
/// one, else by what does not stay in the picture), from the shot's tracks, before its camera. Throws Error as
/// solve::solveObject does, for a sphere, and for a matte that is gone.
solve::ObjectAnswer solveObject(const shot::Shot& shot, comp::RenderCache& cache, const Job& job = {});

/// Puts it into the set: a box named "object" around its points, with a key on every frame, in the place of one that
/// was found before; its id. A shot whose camera had no pose has one that stands.
std::string takeObject(shot::Shot& shot, const solve::ObjectAnswer& answer);

}  // namespace zentil::edit
