#pragma once
#include <memory>
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// ST maps as the shot's lens, named after their files.
void takeMaps(shot::Shot& shot, std::shared_ptr<const lens::PixelMaps> maps);
/// A lens of the database as the shot's, for the focal length at a frame. How far our equation stays from the
/// database's at the worst place, px. Throws Error where the shot has no focal length, and as lens::fromLibrary does.
double takeLibraryLens(shot::Shot& shot, const std::string& name, int frame);

}  // namespace zentil::edit
