#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// Takes the move of another shot (.zentil), or of a camera's file, as this shot's: its first frame on the first here,
/// as it was. Throws Error as reading does, for a shot without a camera, and for a sphere.
void takeMove(shot::Shot& shot, const std::string& file);
/// Works the camera out again by the move that is used, for all frames of the plate. Throws Error as camera::moved.
void useMove(shot::Shot& shot);

}  // namespace zentil::edit
