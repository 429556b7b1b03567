#pragma once
#include <memory>
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// ST maps as the shot's lens, named after their files.
void takeMaps(shot::Shot& shot, std::shared_ptr<const lens::LensMaps> maps);
/// A lens of the database as the shot's, for the focal length at a frame. How far our equation stays from the
/// database's at the worst place, px. Throws Error where the shot has no focal length, and as lens::fromLibrary does.
double takeLibraryLens(shot::Shot& shot, const std::string& name, int frame);

/// Solves the lens from the shot's lines and puts it into the shot, with the optical centre if that was asked for.
/// Counts by the body at `frame`. Throws Error as lens::solvePlumb does.
lens::StraightLinesAnswer solveLines(shot::Shot& shot, int frame);

/// What a calibration says of the camera's body, put into a path without poses: focal length by its film back, optical
/// centre. Focal lengths and centre are in pixels of the plate.
std::shared_ptr<const camera::CameraPath> bodyFrom(const camera::CameraPath& path, const Vec2& focalPx,
                                                   const std::optional<Vec2>& centrePx, int width, int height);

/// Gives the film back the height that the picture takes (shot::likelyBackHeight).
void fitBack(shot::Shot& shot);

}  // namespace zentil::edit
