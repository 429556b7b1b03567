#pragma once
// Camera moves rendered by POV-Ray, with what real footage adds: motion blur over half of each frame, a lens that
// bends, grain, 8 bits and JPEG. Solves are judged on them; nothing of Zentil makes the pictures.
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "core/camera/camera.h"
#include "core/lens/lens.h"
#include "core/set/surface.h"

namespace zentil::test {

/// A move through a scene. `t` runs from 0 on the first frame to 1 on the last.
struct RenderedMove {
  std::string name;
  std::string scene;  ///< the name of one of POV-Ray's texts in rendered_move.cpp
  int frames = 48;
  std::function<Vec3(double t)> position;
  std::function<Mat3(double t)> rotation;  ///< world from camera, which looks along -Z
  std::function<double(double t)> focalMm;
  double k1 = 0;
  Vec2 centreOffsetPx = Vec2::Zero();

  static constexpr int kWidth = 960, kHeight = 540, kFirst = 1001;
  static constexpr double kBackMm = 36;
  static constexpr double kGrain = 0.006;  ///< standard deviation, in scene-linear light

  int last() const { return kFirst + frames - 1; }
  /// The true camera; poses of the middle of each exposure.
  camera::CameraPath truth() const;
  lens::Lens lens() const;
};

/// The twelve moves: dolly in, dolly in with a thing that rolls across, crane, arc, pan, tilt, zoom, handheld, planar,
/// far background, low texture, still.
const std::vector<RenderedMove>& renderedMoves();

/// Places in a scene that are on its surfaces, for measuring slip.
std::vector<Vec3> placesOf(const RenderedMove& move);

/// What a yard's scene is made of.
std::vector<set::Surface> surfacesOf(const RenderedMove& move);

/// Renders a move, unless it is already there: FOLDER/NAME/plate.1001.jpg, ... Takes some minutes.
/// Returns the first frame's file.
std::filesystem::path render(const RenderedMove& move, const std::filesystem::path& folder);

}  // namespace zentil::test
