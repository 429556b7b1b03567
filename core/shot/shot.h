#pragma once
#include <filesystem>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "core/camera/camera.h"
#include "core/element/element.h"
#include "core/image/plate.h"
#include "core/lens/plumb.h"
#include "core/matte/matte.h"
#include "core/set/points.h"
#include "core/set/ray_scene.h"

namespace zentil::shot {

/// What is to be delivered and how.
struct Delivery {
  std::string pattern = "deliver/####.exr";  ///< where the frames go, relative to the shot's file
  bool half = true;
  std::string compression = "piz";
  int quality = 95;
  bool sharper = true;  ///< elements are read by six pixels a side instead of four: slower, and nearer to the source
  bool operator==(const Delivery&) const = default;
};

/// How far beyond the plate the straight picture reaches, for CG that is to cover it when bent.
struct Overscan {
  bool symmetric = true;  ///< the same on both sides, as most renderers want it
  int multiple = 2;       ///< width and height are rounded up to a multiple of this
  bool operator==(const Overscan&) const = default;
};

/// One document. A plain value: an edit makes a new one, and the heavy parts are shared between them.
/// File names in it are absolute while it is in memory, and relative to the shot's file in JSON.
struct Shot {
  std::string name = "untitled";
  image::Plate plate;
  FrameRange range;  ///< frames being worked on, inside the plate's
  lens::Lens lens;
  std::vector<lens::PlumbLine> lines;  ///< drawn along straight things, to find the lens by
  lens::PlumbQuestion question;        ///< what they are asked for
  std::shared_ptr<const camera::CameraPath> camera = std::make_shared<camera::CameraPath>();
  std::shared_ptr<const std::vector<set::Point>> points = std::make_shared<std::vector<set::Point>>();
  std::vector<set::Surface> surfaces;
  std::vector<matte::Matte> mattes;
  std::vector<element::Element> elements;
  Delivery delivery;
  Overscan overscan;

  bool operator==(const Shot& o) const;

  const set::Surface* surface(const std::string& id) const;
  const matte::Matte* matte(const std::string& id) const;
  const element::Element* element(const std::string& id) const;
  set::Surface* surface(const std::string& id) { return const_cast<set::Surface*>(std::as_const(*this).surface(id)); }
  matte::Matte* matte(const std::string& id) { return const_cast<matte::Matte*>(std::as_const(*this).matte(id)); }
  element::Element* element(const std::string& id) {
    return const_cast<element::Element*>(std::as_const(*this).element(id));
  }

  Box frameBox() const { return {0, 0, plate.width, plate.height}; }
  bool hasCamera(int frame) const { return camera->has(frame); }
  camera::Camera cameraAt(int frame) const { return camera->at(frame, plate.width, plate.height); }
  lens::LensOnPixels lensAt(int frame) const;
};

/// "s3", "m1", "e12": an id with this letter that nothing in the shot has yet.
std::string freshId(const Shot& shot, char letter);

/// A new shot from files; camera, lens and points may be empty. Throws Error for the first one that cannot be used.
struct NewShotFiles {
  std::filesystem::path plate, camera, lens, points;
  double fps = 0;
};
Shot newShot(const NewShotFiles& files);

/// One sentence about something wrong, and whether work can go on in spite of it.
struct Problem {
  std::string text;
  bool grave = true;
};

/// Everything that can be found wrong without decoding pictures, or, with `decode`, with decoding every frame: missing
/// files, sizes, gaps in the camera, a lens that folds, surfaces and mattes that are named but not there, source frames
/// out of range.
std::vector<Problem> problemsOf(const Shot& shot, bool decode);

}  // namespace zentil::shot
