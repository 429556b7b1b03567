#pragma once
#include <array>
#include <filesystem>
#include <string>

#include "core/shot/shot.h"

namespace zentil::test {

/// Where the demo shot lies.
inline const std::string kDemo = ZENTIL_DEMO;
/// The demo's shot with its stand taken out by a frame that was painted from the truth: what shows there besides that
/// frame is how exactly it is carried.
inline const std::string kPainted = std::string(ZENTIL_PAINTED) + "/boathouse.zentil",
                         kPaintedFrame = std::string(ZENTIL_PAINTED) + "/slip_painted.1036.exr";
/// Pictures that OpenCV documents itself with (package opencv-doc).
inline const std::string kOpenCvData = "/usr/share/doc/opencv-doc/examples/data/";
/// Memory that a workshop may keep, where a test does not care.
inline constexpr size_t kBudget = size_t{200} << 20;

/// A folder that is gone when the test is over.
class Folder {
 public:
  Folder();
  ~Folder();
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

/// Smooth, aperiodic brightness of a surface at a place on it (metres), 0.1 to 0.9, with detail down to about 3 cm.
double texture(double u, double v);

/// A wall at z = 0, textured, seen by a camera that walks along it: width x height pixels, `frames` frames from 1001,
/// lens k1 as given. The frames are written as EXR into folder/plate. The shot's one surface, "s1", is the wall.
shot::Shot walkAlongWall(const Folder& folder, int frames = 5, int width = 320, int height = 180, double k1 = -0.08);
/// The same without its pictures, for what asks for none or for those of another camera.
shot::Shot unpaintedWall(const Folder& folder, int frames = 5, int width = 320, int height = 180, double k1 = -0.08);

/// Writes the pictures of the wall as the shot's camera and lens see it; the lens is the same on all frames.
void paintWall(const shot::Shot& shot, const std::array<float, 3>& tint = {1, 0.8f, 0.6f});

/// A spot "o1" called nail on that wall, before the camera on frame 1003.
void addNail(shot::Shot& shot);

/// A surface that is not turned; its id is its name.
set::Surface surface(set::SurfaceKind kind, const Vec3& position, const Vec3& size, const std::string& id);

/// A rectangle as a shape, corners in plate pixels.
matte::Shape rectangle(double x0, double y0, double x1, double y1);

/// An element "e1" that patches the wall with `source`, inside a matte "m1" of these corners drawn on frame `drawnOn`.
void addPatch(shot::Shot& shot, int source, int drawnOn, double x0, double y0, double x1, double y1,
              double featherPx = 0);

/// Writes every frame of the plate anew after change(frame, picture).
void repaint(const shot::Shot& shot, const std::function<void(int frame, image::Picture& picture)>& change);

/// Writes frames `folder`/m.FRAME.exr of a matte picture that is 1 in a box, the shot's size and frames; the first one.
std::filesystem::path writeMatte(const shot::Shot& shot, const std::filesystem::path& folder, const Box& box);

/// Runs a command; its exit code, and what it printed (both streams).
int runCommand(const std::string& command, std::string* printed = nullptr);

/// What an Error says, or "" if none was thrown.
std::string errorOf(const std::function<void()>& run);

}  // namespace zentil::test
