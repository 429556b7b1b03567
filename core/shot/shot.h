#pragma once
#include <algorithm>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/camera/camera.h"
#include "core/camera/move.h"
#include "core/element/element.h"
#include "core/image/grain.h"
#include "core/image/plate.h"
#include "core/lens/straight_lines.h"
#include "core/matte/matte.h"
#include "core/set/moving_surface.h"
#include "core/set/points.h"
#include "core/set/ray_scene.h"
#include "core/set/spot.h"
#include "core/set/upright.h"
#include "core/set/world.h"
#include "core/shot/export_settings.h"
#include "core/shot/flat_view.h"
#include "core/shot/output.h"
#include "core/shot/steady.h"
#include "core/solve/solve.h"
#include "core/track/follow.h"
#include "core/track/region.h"
#include "core/view/view.h"

namespace zentil::shot {

/// What is to be delivered and how.
struct Delivery {
  std::string pattern = "deliver/####.exr";  ///< where the frames go, relative to the shot's file
  bool half = true;
  std::string compression = "piz";
  int quality = 95;
  bool overPlate = true;  ///< false: the elements alone, on transparent ground
  bool sharpFilter =
      true;  ///< elements are read by six pixels a side instead of four: slower, and nearer to the source
  bool operator==(const Delivery&) const = default;
};

/// How far beyond the plate the straight picture reaches, for CG that is to cover it when bent.
struct Overscan {
  bool symmetric = true;  ///< the same on both sides, as most renderers want it
  int multiple = 2;       ///< width and height are rounded up to a multiple of this
  bool operator==(const Overscan&) const = default;
};

/// A plate of the shot and how its frames and pixels lie on the shot's: the raw one, a graded one, a clean plate,
/// another take.
struct PlateUse {
  std::string id, name;
  image::Plate files;
  int shift = 0;     ///< the shot's frame less the files'
  double scale = 1;  ///< its pixels for one of the shot's
  image::Grain grain;
  value::Unknown unknown;
  bool operator==(const PlateUse&) const = default;

  int fileFrame(int frame) const { return frame - shift; }
  /// The frames it has, by the shot's numbers.
  FrameRange range() const { return {files.range.first + shift, files.range.last + shift}; }
};

/// Automatic tracking: what is asked for, and where.
struct Tracking {
  track::TrackSettings follow;
  std::string matte;        ///< id of the tracking matte; empty: everywhere is tracked
  bool onlyInside = false;  ///< only inside that matte, instead of only outside it
  bool operator==(const Tracking&) const = default;
};

/// How the shot's pixels see: through a camera and its lens, or all around.
enum class Projection { Camera, Sphere };
inline std::span<const char* const> namesOf(Projection) {
  static constexpr const char* kNames[] = {"camera", "sphere"};
  return kNames;
}

/// What a plate says of depth whose pixels are no light: where in the world each pixel's thing is (red X, green Y, blue
/// Z), or how far along the camera's axis (red).
enum class DepthEncoding { Places, Distances };
inline std::span<const char* const> namesOf(DepthEncoding) {
  static constexpr const char* kNames[] = {"places", "distances"};
  return kNames;
}

/// A solve that was made, to go back to.
struct PastSolve {
  std::string words;  ///< how well it fits, for people
  std::shared_ptr<const camera::CameraPath> camera = std::make_shared<camera::CameraPath>();
  lens::Lens lens;  ///< without its ST maps
  bool throughMaps = false;
  std::shared_ptr<const std::vector<set::Point>> points = std::make_shared<std::vector<set::Point>>();
  std::shared_ptr<const solve::Errors> solved = std::make_shared<solve::Errors>();
  double pixelAspect = 0;  ///< of the plate that it was solved on; 0: not kept
  bool operator==(const PastSolve& o) const;
};

/// One document. A plain value: an edit makes a new one, and the heavy parts are shared between them.
/// File names in it are absolute while it is in memory, and relative to the shot's file in JSON.
struct Shot {
  Shot();
  Shot(const Shot&);
  Shot(Shot&&) noexcept;
  Shot& operator=(const Shot&);
  Shot& operator=(Shot&&) noexcept;
  ~Shot();

  std::string name = "untitled";
  std::vector<PlateUse> plates;
  std::string workingPlate;  ///< id of the plate that elements are laid on; empty: the first
  std::string trackedPlate;  ///< id of the plate that is tracked; empty: the one that is worked on
  std::string depthPlate;    ///< id of the plate that tells depth; empty: none does
  DepthEncoding depthEncoding = DepthEncoding::Places;
  int width = 0, height = 0;  ///< the shot's pixels, in which tracks, mattes and lines are kept
  Projection projection = Projection::Camera;
  FrameRange range;  ///< frames being worked on, inside the plate's
  lens::Lens lens;
  std::vector<lens::StraightLine> lines;      ///< drawn along straight things, to find the lens by
  lens::StraightLinesSettings lensFromLines;  ///< what they are asked for
  std::shared_ptr<const camera::CameraPath> camera = std::make_shared<camera::CameraPath>();
  camera::Move move;  ///< of another shot, that the camera goes by here
  std::shared_ptr<const std::vector<set::Point>> points = std::make_shared<std::vector<set::Point>>();
  Tracking tracking;
  std::shared_ptr<const track::Tracks> tracks = std::make_shared<track::Tracks>();
  std::vector<track::Region> regions;             ///< planes that are followed
  solve::SolveSettings solveSettings;             ///< what the camera's solve is asked for
  std::string objectMatte;                        ///< id of the matte that a thing with a move of its own is inside
  double objectDistanceM = 0;                     ///< how far it is at first; 0: as far as the set's points
  std::shared_ptr<const solve::Errors> solved;    ///< how well it fits; null: the camera was not solved here
  std::vector<PastSolve> pastSolves;              ///< the last ones, oldest first; the one that is used among them
  std::vector<set::WorldConstraint> constraints;  ///< about how the set stands in the world
  std::vector<set::MovingSurface> surfaces;
  std::vector<set::Spot> spots;
  std::vector<matte::Matte> mattes;
  std::vector<element::Element> elements;
  Delivery delivery;
  Overscan overscan;
  ExportSettings exportSettings;
  Steady steady;
  FlatView flatView;  ///< of a sphere
  Output output;      ///< the view that is delivered
  value::Unknown unknown;

  // Not saved:
  std::string lensProblem;         ///< why its ST maps could not be read when the shot was
  std::vector<std::string> notes;  ///< what was wrong with the file it was read from

  bool operator==(const Shot& o) const;

  const set::MovingSurface* surface(const std::string& id) const;
  const set::Spot* spot(const std::string& id) const;
  const matte::Matte* matte(const std::string& id) const;
  const element::Element* element(const std::string& id) const;
  const PlateUse* plateUse(const std::string& id) const;
  set::MovingSurface* surface(const std::string& id) {
    return const_cast<set::MovingSurface*>(std::as_const(*this).surface(id));
  }
  set::Spot* spot(const std::string& id) { return const_cast<set::Spot*>(std::as_const(*this).spot(id)); }
  matte::Matte* matte(const std::string& id) { return const_cast<matte::Matte*>(std::as_const(*this).matte(id)); }
  element::Element* element(const std::string& id) {
    return const_cast<element::Element*>(std::as_const(*this).element(id));
  }
  PlateUse* plateUse(const std::string& id) { return const_cast<PlateUse*>(std::as_const(*this).plateUse(id)); }

  /// The plate that elements are laid on, and the one that is tracked; an empty one when the shot has none.
  const PlateUse& worked() const;
  const PlateUse& tracked() const;
  /// The files of the plate that is worked on.
  const image::Plate& plate() const { return worked().files; }
  bool hasPlate() const { return !plate().empty(); }
  /// Puts these files in the place of the plate that is worked on. The shot's first plate gives it its size and range.
  void setPlate(const image::Plate& files);

  /// The set's surfaces as they stand at a frame.
  std::vector<set::Surface> surfacesAt(int frame) const;
  Box frameBox() const { return {0, 0, width, height}; }
  /// How wide the picture is over its height, as it is looked at.
  double aspect() const { return height > 0 ? width * plate().pixelAspect / height : 1; }
  bool hasCamera(int frame) const { return camera->has(frame); }
  camera::Camera cameraAt(int frame) const { return camera->at(frame, width, height); }
  /// The lens in front of this shot's pixels at a frame. Without a pose there, by what is known of the camera's body.
  lens::LensOnPixels lensAt(int frame) const;
  /// How its pixels see at a frame: camera and lens, or the sphere. Without a pose, from the world's middle, unturned.
  view::ViewPtr viewAt(int frame) const;
};

template <typename See>
void describe(const Delivery*, See&& see) {
  using value::label;
  see("files", &Delivery::pattern, label("place of the delivery").file().nonRendering());
  see("halfFloat", &Delivery::half, label("half floats"));
  see("compression", &Delivery::compression, label("compression"));
  see("quality", &Delivery::quality, label("quality").within(1, 100).in("", 0).by(5));
  see("overPlate", &Delivery::overPlate, label("ground"));
  see("sharpFilter", &Delivery::sharpFilter, label("filter"));
}
template <typename See>
void describe(const Overscan*, See&& see) {
  using value::label;
  see("symmetric", &Overscan::symmetric, label("the same on both sides"));
  see("multiple", &Overscan::multiple, label("multiple").within(1, 4096).in("px", 0).by(1));
}
template <typename See>
void describe(const PastSolve*, See&& see) {
  using value::label;
  see("words", &PastSolve::words, label("words").nonRendering());
  see("camera", &PastSolve::camera, label("camera").nonRendering());
  see("lens", &PastSolve::lens, label("lens").nonRendering());
  see("throughMaps", &PastSolve::throughMaps, label("through ST maps").nonRendering());
  see("pixelAspect", &PastSolve::pixelAspect, label("pixel aspect").within(0, 10).in("", 3).nonRendering());
  see("points", &PastSolve::points, label("points").nonRendering());
  see("solved", &PastSolve::solved, label("errors").nonRendering());
}
template <typename See>
void describe(const PlateUse*, See&& see) {
  using value::label;
  see("id", &PlateUse::id, label("id").nonRendering());
  see("name", &PlateUse::name, label("name").nonRendering());
  see("files", &PlateUse::files, label("files"));
  see("shift", &PlateUse::shift, label("shift of frames").within(-1e6, 1e6).in("frames", 0).by(1));
  see("scale", &PlateUse::scale, label("scale").within(0.01, 100).in("", 3));
  see("grain", &PlateUse::grain, label("grain"));
}
template <typename See>
void describe(const Tracking*, See&& see) {
  using value::label;
  see("follow", &Tracking::follow, label("tracking").nonRendering());
  see("matte", &Tracking::matte, label("tracking matte").of("mattes", "everywhere").nonRendering());
  see("onlyInside", &Tracking::onlyInside, label("tracking inside alone").nonRendering());
}
template <typename See>
void describe(const Shot*, See&& see) {
  using value::label;
  see("name", &Shot::name, label("name").nonRendering());
  see("plates", &Shot::plates, label("plates"));
  see("workingPlate", &Shot::workingPlate, label("plate that is worked on").of("plates", "the first"));
  see("trackedPlate", &Shot::trackedPlate,
      label("plate that is tracked").of("plates", "the one that is worked on").nonRendering());
  see("depthPlate", &Shot::depthPlate, label("depth plate").of("plates", "none").nonRendering());
  see("depthEncoding", &Shot::depthEncoding, label("depth encoding").nonRendering());
  see("width", &Shot::width, label("width").within(0, 100000).in("px", 0));
  see("height", &Shot::height, label("height").within(0, 100000).in("px", 0));
  see("projection", &Shot::projection, label("kind of picture"));
  see("range", &Shot::range, label("range").frame().nonRendering());
  see("lens", &Shot::lens, label("lens"));
  see("lines", &Shot::lines, label("lines").nonRendering());
  see("lensFromLines", &Shot::lensFromLines, label("lens from lines").nonRendering());
  see("camera", &Shot::camera, label("camera"));
  see("move", &Shot::move, label("move"));
  see("points", &Shot::points, label("points").nonRendering());
  see("tracking", &Shot::tracking, label("tracking").nonRendering());
  see("tracks", &Shot::tracks, label("tracks").nonRendering());
  see("regions", &Shot::regions, label("regions"));
  see("objectMatte", &Shot::objectMatte, label("matte of the object").of("mattes", "all that moves").nonRendering());
  see("objectDistanceM", &Shot::objectDistanceM,
      label("distance of the object").within(0, 1e5).in("m", 2).by(0.1).nonRendering());
  see("solveSettings", &Shot::solveSettings, label("solve").nonRendering());
  see("solved", &Shot::solved, label("errors of the solve").nonRendering());
  see("pastSolves", &Shot::pastSolves, label("solves that were made").nonRendering());
  see("constraints", &Shot::constraints, label("statements about the world").nonRendering());
  see("surfaces", &Shot::surfaces, label("surfaces"));
  see("spots", &Shot::spots, label("spots").nonRendering());
  see("mattes", &Shot::mattes, label("mattes"));
  see("elements", &Shot::elements, label("elements"));
  see("delivery", &Shot::delivery, label("delivery"));
  see("overscan", &Shot::overscan, label("overscan"));
  see("exportSettings", &Shot::exportSettings, label("exporting").nonRendering());
  see("steady", &Shot::steady, label("stabilising").nonRendering());
  see("flatView", &Shot::flatView, label("flat view").nonRendering());
  see("output", &Shot::output, label("view that is delivered"));
}

/// Which of the solves that are kept is the shot's own now.
std::optional<size_t> solveInUse(const Shot& shot);

/// The height of film back that the picture takes at its width, when the one it has is off by more than a hundredth:
/// then what is round comes out oval, and a solve finds a wrong focal length. Nothing for a sphere, or a lens that
/// squeezes.
std::optional<double> likelyBackHeight(const Shot& shot);
/// "s3", "m1", "e12", "f2": an id with this letter that nothing in the shot has yet.
std::string freshId(const Shot& shot, char letter);

/// What to ask of a new shot whose plate is twice as wide as high and does not say whether it shows all around; empty
/// where nothing is to be asked.
std::string sphereQuestion(const Shot& shot);
/// What to say of a shot whose files say that their frames are two fields each, while it works on whole frames; empty
/// otherwise.
std::string fieldsQuestion(const Shot& shot);
/// Whether the plate that is worked on is one picture.
bool isStill(const Shot& shot);

/// Whether the camera goes by a move of another shot: not once it was solved, or loaded.
bool usesMove(const Shot& shot);

/// Throws Error for a range of over a million frames: it was typed wrong or damaged, and nobody waits for it.
void requireWorkable(const FrameRange& range);

/// One sentence about something wrong, and whether work can go on in spite of it.
struct Problem {
  std::string text;
  bool grave = true;
  std::vector<int> frames = {};  ///< that it touches; empty: all
  bool ofLayers = false;         ///< about what is laid over the plate, not about plate, lens or camera
  bool touches(int frame) const { return frames.empty() || std::ranges::count(frames, frame) > 0; }
};

/// Everything that can be found wrong without decoding pictures, or, with `decode`, with decoding every frame: missing
/// files, sizes, gaps in the camera, a lens that folds, surfaces and mattes that are named but not there, source frames
/// out of range.
std::vector<Problem> problemsOf(const Shot& shot, bool decode);

}  // namespace zentil::shot
