#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// What a hold needs that was just chosen: a spot, and a frame to be steadied to.
void beginSteady(shot::Shot& shot);

}  // namespace zentil::edit
