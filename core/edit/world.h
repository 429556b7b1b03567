#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// Which way is up, by the lines that are marked vertical and switched on. Throws Error as
/// set::uprightBy does, and where there are none.
set::Upright uprightByLines(const shot::Shot& shot);
/// What the shot's constraints ask for as the set stands now.
set::PlacementAnswer placementOf(const shot::Shot& shot);
/// Moves camera, points and surfaces together so that the constraints hold.
void applyConstraints(shot::Shot& shot);

/// Adds a constraint and moves the set so that it holds. There is one of each kind, a new one replaces it; only scales
/// add up. Throws Error for a length that no set has, and as uprightByLines does for vertical lines.
void addConstraint(shot::Shot& shot, const set::WorldConstraint& constraint);
/// Another length for a scale, by its place in the list of constraints. Throws Error as above.
void setScale(shot::Shot& shot, size_t which, double lengthM);
/// Removes a constraint; the set stays where it is. Throws Error for one that is not there.
void removeConstraint(shot::Shot& shot, size_t which);

/// Moves a camera and points by a placement.
void moveBy(const set::Placement& to, camera::CameraPath& camera, std::vector<set::Point>& points);

}  // namespace zentil::edit
