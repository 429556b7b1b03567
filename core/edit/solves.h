#pragma once
#include "core/shot/shot.h"
#include "core/solve/cull.h"

namespace zentil::edit {

/// Puts a solve into the shot: camera, lens, points, errors. The constraints about the world are applied again; without
/// any, the new world is fitted to the old one by the points of both, so that surfaces stay where they were.
void takeSolve(shot::Shot& shot, const solve::SolveAnswer& answer);
/// Camera, lens and points of a solve that is kept with the shot; tracks stay as they are. Throws Error for one that is
/// not there, or was solved through ST maps that the shot no longer has.
void goBackTo(shot::Shot& shot, size_t pastSolve);
/// Leaves out the tracks that its solve has beyond some limits; their ids. Throws Error where there is no solve.
std::vector<int> cull(shot::Shot& shot, const solve::CullLimits& limits);

}  // namespace zentil::edit
