#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// What an output view needs that was just chosen: another lens begins as the camera's own.
void beginOutput(shot::Shot& shot, int frame);

}  // namespace zentil::edit
