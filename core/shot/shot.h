#pragma once
#include <filesystem>
#include <memory>
#include <optional>
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
#include "core/set/world.h"
#include "core/solve/solve.h"
#include "core/track/follow.h"
#include "core/track/region.h"

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
  std::string lensProblem;             ///< why its ST maps could not be read when the shot was; not saved
  std::vector<lens::PlumbLine> lines;  ///< drawn along straight things, to find the lens by
  lens::PlumbQuestion question;        ///< what they are asked for
  std::shared_ptr<const camera::CameraPath> camera = std::make_shared<camera::CameraPath>();
  std::shared_ptr<const std::vector<set::Point>> points = std::make_shared<std::vector<set::Point>>();
  track::FollowQuestion follow;  ///< what automatic tracking is asked for
  std::string notHere;           ///< id of the tracking matte; empty: everywhere is tracked
  bool onlyHere = false;         ///< only inside that matte, instead of only outside it
  std::shared_ptr<const track::Tracks> tracks = std::make_shared<track::Tracks>();
  std::vector<track::Region> regions;           ///< planes that are followed
  solve::SolveQuestion ask;                     ///< what the camera's solve is asked for
  std::shared_ptr<const solve::Errors> solved;  ///< how well it fits; null: the camera was not solved here
  std::vector<set::Statement> statements;       ///< about how the set stands in the world
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
  /// The lens in front of this shot's pixels at a frame. Without a pose there, by what is known of the camera's body.
  lens::LensOnPixels lensAt(int frame) const;
};

/// Solves the lens from the shot's lines and puts it into the shot, with the optical centre if that was asked for.
/// Counts by the body at `frame`. Throws Error as lens::solvePlumb does.
lens::PlumbAnswer solveLines(Shot& shot, int frame);

/// Puts a solve into the shot: camera, lens, points, errors. The statements about the world are applied again; without
/// any, the new world is laid on the old by the points that both know, so that surfaces stay where they were.
void takeSolve(Shot& shot, const solve::SolveAnswer& answer);

/// What the shot's statements ask for as the set stands now.
set::PlacementAnswer placementOf(const Shot& shot);
/// Moves camera, points and surfaces together so that the statements hold.
void applyStatements(Shot& shot);

/// What a calibration says of the camera's body, put into a path without poses: focal length by its film back, optical
/// centre. Focal lengths and centre are in pixels of the plate.
std::shared_ptr<const camera::CameraPath> bodyFrom(const camera::CameraPath& path, const Vec2& focalPx,
                                                   const std::optional<Vec2>& centrePx, int width, int height);

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
