#pragma once
#include <filesystem>
#include <string>

#include "core/shot/shot.h"

namespace zentil::edit {

/// A new shot from files; camera, lens and points may be empty. Throws Error for the first one that cannot be used.
struct NewShotFiles {
  std::filesystem::path plate, camera, lens, points;
  double fps = 0;
};
shot::Shot newShot(const NewShotFiles& files);
/// A shot without a plate: a transparent picture of this size, `blank_WxH.exr`, is written into the folder and held for
/// so many frames from 1001 on. Throws Error where it cannot be.
shot::Shot blankShot(const std::filesystem::path& folder, int width, int height, int frames, double fps);
/// The same files put into a shot that has a plate, each in the place of what it had. Throws Error as newShot.
void loadCamera(shot::Shot& shot, const std::string& file);
void loadLens(shot::Shot& shot, const std::string& file);
void loadPoints(shot::Shot& shot, const std::string& file);

/// Works on the plate's fields as frames, in this order, or on whole frames again. Throws Error for one picture, and
/// where something of the shot counts in the plate's frames.
void useFields(shot::Shot& shot, image::Fields fields);
/// Once a new shot has a file it delivers beside that, into deliver/NAME.####.exr, instead of beside the plate, which
/// may belong to others. False, with nothing changed, where a person chose another place.
bool deliverBeside(shot::Shot& shot, const std::filesystem::path& shotFile);

/// Holds the picture that the plate is for so many frames, in the place of a range of files. Throws Error for a movie,
/// a sequence, and fewer than one frame.
void holdStill(shot::Shot& shot, int frames);

}  // namespace zentil::edit
