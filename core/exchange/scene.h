#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/evaluate/frame_state.h"

namespace zentil::exchange {

/// A shot's camera, set and spots as another program takes them: in the axes, unit and frame numbers that were chosen.
struct Scene {
  struct Camera {
    int frame = 0;
    Vec3 position = Vec3::Zero();
    /// Its axes in the world: right, up, and back, so that it looks along the third reversed; where the world is
    /// left-handed the third is forward, and the camera looks along it. Always a rotation.
    Mat3 rotation = Mat3::Identity();
    double focalMm = 0;
  };
  struct Body {
    std::string name;
    std::vector<Vec3> vertices;
    std::vector<std::array<int, 3>> triangles;
  };
  struct Place {
    std::string name;
    Vec3 position = Vec3::Zero();
    std::array<Vec3, 4> corners{};
  };
  std::string name;
  double fps = 24;
  int width = 0, height = 0;
  shot::ExportSettings exportSettings;
  std::vector<Camera> cameras;  ///< by frame, without gaps in their order; frames without a pose are not there
  double backWidthMm = 0, backHeightMm = 0;
  Vec2 centreOffsetPx = Vec2::Zero();
  double readout = 0;  ///< as camera::CameraPath has it
  std::vector<Vec3> points;
  std::vector<Body> bodies;  ///< surfaces, as they stand on the first frame
  std::vector<Place> places;
  std::vector<std::string> notes;  ///< what cannot be said in every format, a sentence each

  bool zooms() const;
};

/// Throws Error without a camera.
Scene sceneOf(const shot::Shot& shot);

/// Takes a place of the shot's world (right-handed, Y up, metres) to the chosen axes and unit.
Vec3 placeOut(const shot::ExportSettings& exportSettings, const Vec3& p);
/// What the axes are multiplied by: turned, and mirrored for a left hand.
Mat3 axesOf(const shot::ExportSettings& exportSettings);
/// A camera's rotation in those axes (see Scene::Camera).
Mat3 turnOut(const shot::ExportSettings& exportSettings, const Mat3& rotation);

}  // namespace zentil::exchange
