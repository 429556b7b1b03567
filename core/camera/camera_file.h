#pragma once
#include <filesystem>

#include "core/camera/camera.h"

namespace zentil::camera {

/// What a camera file leaves unsaid and the shot knows.
struct CameraFileContext {
  int firstFrame = 1;  ///< glTF counts seconds: time 0 is this frame
  double fps = 24;
  FrameRange range;                     ///< frames wanted; glTF is sampled at these, and at its own length when empty
  double backWidthMm = 36.0;            ///< glTF knows only the angle of view: the film back to express it with
  double aspect = 16.0 / 9;             ///< of the picture
  int widthPx = 1920, heightPx = 1080;  ///< of the picture: USD tells the optical centre by parts of the film back
};

/// Reads a camera path by the file's ending: .csv, .gltf, .glb, .dae, .usda. Throws Error naming the file, the line or
/// node, and what is expected.
///
/// CSV: a header line, then a line a frame; '#' starts a comment. World right-handed, Y up, metres; the camera looks
/// along its -Z.
///   frame, x, y, z            frame number and position
///   r00 ... r22               world-from-camera rotation, row by row; or
///   rx, ry, rz, order         Euler angles in degrees and the order of multiplication, e.g. "YXZ" means Ry * Rx * Rz
///   focal_mm, back_width_mm, back_height_mm
///   centre_x_px, centre_y_px  optional: optical centre from the frame's centre, x right, y down
///
///   readout                   optional: part of a frame's time from the first row's reading to the last's
///
/// glTF 2.0: the first node with a perspective camera; its and its parents' animated translation, rotation and scale
/// are sampled at the frames' times with the interpolation the file names (Khronos glTF 2.0 specification,
/// sections 3.10 and 3.11).
///
/// COLLADA 1.4.1 and USD text: the first camera likewise, with its unit and the axis that is up; USD with the film back
/// and the focal length over time.
CameraPath readCamera(const std::filesystem::path& file, const CameraFileContext& context);

/// Writes the CSV form with rotation matrices, so that readCamera returns the path.
void writeCameraCsv(const std::filesystem::path& file, const CameraPath& path);

}  // namespace zentil::camera
