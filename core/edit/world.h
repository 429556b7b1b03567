#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// Which way is up in the world as it stands, by the lines that are said to stand plumb and take part. Throws Error as
/// set::uprightBy does, and where there are none.
set::Upright uprightByLines(const shot::Shot& shot);
/// What the shot's constraints ask for as the set stands now.
set::PlacementAnswer placementOf(const shot::Shot& shot);
/// Moves camera, points and surfaces together so that the constraints hold.
void applyConstraints(shot::Shot& shot);

/// Says something about how the set stands in the world, and brings it to stand so. One of a kind holds: what was said
/// of the ground before gives way; gauges stand beside each other. Throws Error for a gauge's length beyond what a set
/// can have, and as edit::uprightByLines does for what stands plumb.
void state(shot::Shot& shot, const set::WorldConstraint& statement);
/// Another length for a gauge, by its place among the statements. Throws Error as above.
void setScale(shot::Shot& shot, size_t which, double lengthM);
/// What was said is taken back; the set stays where it is. Throws Error for one that is not there.
void takeBack(shot::Shot& shot, size_t which);

/// Moves a camera and points as a placement says.
void standBy(const set::Placement& to, camera::CameraPath& camera, std::vector<set::Point>& points);

}  // namespace zentil::edit
