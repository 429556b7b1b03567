#pragma once
#include "core/shot/words.h"

namespace zentil::shot {

/// Takes the move of another shot (.zentil), or of a camera's file, as this shot's: its first frame on the first here,
/// as it was. Throws Error as reading does, for a shot without a camera, and for a sphere.
void takeMove(Shot& shot, const std::string& file);
/// Works the camera out again by the move that is used, for all frames of the plate. Throws Error as camera::moved.
void useMove(Shot& shot);
/// Whether the camera goes by a move of another shot: not once it was solved, or loaded.
bool usesMove(const Shot& shot);
/// How it does.
Sentence moveRecipe(const Shot& shot, int frame);

}  // namespace zentil::shot
