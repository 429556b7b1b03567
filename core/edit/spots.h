#pragma once
#include <string>

#include "core/estimate/spot_depth.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// Puts a spot into the shot, named ("spot 3") unless it has a name; its id.
std::string addSpot(shot::Shot& shot, set::Spot spot);
/// Puts what was found of a spot's place into it; its name, id and size stay. Throws Error for a spot that is gone.
void placeSpot(shot::Shot& shot, const std::string& id, const set::Spot& found);
/// A spot found again where it was chosen, its depth from what is named. Throws Error as spotAt, and for a spot that is
/// gone.
estimate::SpotFound spotAgain(const shot::Shot& shot, const std::string& id, set::DepthFrom from,
                              comp::RenderCache& cache, const Job& job = {});
/// Moves a spot on the picture of a frame, at its depth there, by pixels. Throws Error where it is not before the
/// camera.
void nudgeSpot(shot::Shot& shot, const std::string& id, int frame, const Vec2& byPx);

}  // namespace zentil::edit
