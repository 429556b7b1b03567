#pragma once
#include "core/set/upright.h"
#include "core/shot/shot.h"
#include "core/sphere/turns.h"

namespace zentil::edit {

/// Those turns as the shot's camera, which stands in the world as the one before did on the first frame both know.
/// Throws Error where nothing was found.
void takeTurns(shot::Shot& shot, const sphere::Turns& turns);

/// Stands the world upright by the shot's lines that take part, drawn along what is plumb. Throws Error where the plate
/// is no sphere, and as set::uprightBy does.
set::Upright standUprightByLines(shot::Shot& shot);
/// How far a line stands off plumb as the world stands, degrees; NaN for one that is too short.
double offPlumb(const shot::Shot& shot, const lens::StraightLine& line);
/// Stands it upright by what is straight up on a frame. Throws Error where the plate is no sphere.
void standUpright(shot::Shot& shot, int frame, const Vec2& pixelOfUp);

}  // namespace zentil::edit
