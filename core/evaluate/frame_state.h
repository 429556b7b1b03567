#pragma once
#include <array>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/base/files.h"
#include "core/camera/camera.h"
#include "core/element/element.h"
#include "core/lens/lens.h"
#include "core/matte/matte.h"
#include "core/set/surface.h"
#include "core/shot/shot.h"
#include "core/view/output_view.h"

namespace zentil::evaluate {

/// A picture that will be read from a file, and the file as it is now.
struct FileAt {
  image::Plate files;
  int frame = 0;     ///< by the files' own numbers
  double scale = 1;  ///< its pixels for one of the shot's
  Stamp stamp;
  uint64_t key() const;
};

/// A followed region at one frame.
struct RegionNow {
  Mat3 motion = Mat3::Identity();  ///< from plate pixels of its own frame to those of this one
  std::array<Vec2, 4> quad{};      ///< its corners on its own frame, clockwise from the upper left
};

/// The set and the camera at one frame.
struct SceneState {
  int frame = 0;
  bool hasCamera = false;  ///< false: `camera` is a body without a place; a sphere needs none
  camera::Camera camera;
  lens::LensOnPixels lens;
  bool around = false;  ///< the picture is a sphere, whose two ends meet
  view::ViewPtr view;   ///< how its pixels see: camera and lens, or the sphere
  Box frameBox;         ///< the pixels that are looked at
  std::shared_ptr<const std::vector<set::Surface>> surfaces;
  std::shared_ptr<const std::map<int, RegionNow>> regions;  ///< those that were followed to here, by id
  uint64_t surfacesKey = 0;                                 ///< of the surfaces as they stand, and their meshes' files
  uint64_t key = 0;                                         ///< of all of it
  /// Where it is looked at from another view than the shot's: the scene as shot. Null: this is that.
  std::shared_ptr<const SceneState> asShot;

  /// The scene in whose pixels the plate, the screen, regions and mattes are.
  const SceneState& plateScene() const { return asShot ? *asShot : *this; }
  view::OutputView outputView() const { return {view, frameBox, plateScene().view}; }
  const set::Surface* surface(const std::string& id) const;
  /// Whether what a place is on, and what carries it, is known on this frame.
  bool carries(const element::Place& place) const;
};
using SceneStatePtr = std::shared_ptr<const SceneState>;

struct FrameState;
class ShotEvaluator;

/// One part of a matte, evaluated: what it consists of, and how it comes from where it was drawn.
struct MattePart {
  std::string matte;  ///< the matte's name, for messages
  matte::Combine combine = matte::Combine::Add;
  bool inverted = false;
  matte::Content content;  ///< constants alone
  double softPx = 0, growPx = 0;
  std::vector<FileAt> reads;                  ///< files that its content reads
  std::shared_ptr<const FrameState> against;  ///< what its content is compared with: one element, without cover
  Vec2 shiftPx = Vec2::Zero();
  matte::Follows follows = matte::Follows::Screen;
  int drawnOn = 0;
  SceneStatePtr there;         ///< rides a surface: the stage of the frame it is drawn on
  std::string surface;         ///< rides a surface: which; empty: the element's own
  std::optional<Mat3> motion;  ///< rides a region: from this frame's pixels to those it is drawn in
};
/// A matte that covers, evaluated.
struct Cover {
  std::vector<MattePart> parts;
  matte::Combine combine = matte::Combine::Intersect;
  bool inverted = false;
};

/// One of the frames that a source is put together from.
struct FillSource {
  SceneStatePtr stage;
  FileAt file;
  std::vector<Cover> excluded;  ///< what has to go from it
};

/// One element, evaluated.
struct Layer {
  Layer();
  Layer(const Layer&);
  Layer(Layer&&) noexcept;
  Layer& operator=(const Layer&);
  Layer& operator=(Layer&&) noexcept;
  ~Layer();

  std::string id, name;
  int frame = 0;
  element::Source source;
  element::Place place;
  element::Look look;  ///< constants alone
  std::vector<Cover> cover;
  std::vector<Cover> excluded;                            ///< where its light follows: what is not looked at for that
  std::vector<std::shared_ptr<const FrameState>> nearby;  ///< where its light follows: the frames it is averaged over
  SceneStatePtr held;                                     ///< the stage that its source is seen on; null: it needs none
  std::vector<FileAt> files;
  std::vector<FillSource> sources;          ///< where it is put together from frames: those, with their files
  std::shared_ptr<const FrameState> below;  ///< what it changes: the picture below it, on a frame
  SceneStatePtr before, after;              ///< blurred along its motion: the frames beside; null: not there
  std::optional<image::Grain> grain;        ///< that is laid on it anew
  uint64_t sourcesKey = 0;                  ///< of everything about them
  bool drafted = false;                     ///< `sources` are fewer than it is made from: not worth keeping in files
  uint64_t shapeKey = 0;                    ///< of everything but its look
  uint64_t key = 0;                         ///< of everything its pixels depend on
};

/// Everything one frame's picture needs, evaluated from the shot: plain numbers, files with their stamps.
struct FrameState {
  FrameState();
  FrameState(const FrameState&);
  FrameState(FrameState&&) noexcept;
  FrameState& operator=(const FrameState&);
  FrameState& operator=(FrameState&&) noexcept;
  ~FrameState();

  int frame = 0;
  SceneStatePtr here;
  std::optional<FileAt> plate;
  std::vector<Layer> layers;      ///< bottom first
  std::function<Box()> straight;  ///< the straight picture of the whole range; throws Error as Timeline::straight()
  uint64_t key = 0;

  Box frameBox() const { return here->frameBox; }
  const Layer* layer(const std::string& id) const;
};

/// The same frame looked at from another view, in a box of its pixels: a straight, wider or steadied picture, another
/// frame's camera, a mirror. As shot, in its own box, it is what it was.
FrameState seenFrom(const FrameState& state, const view::ViewPtr& view, const Box& box);
SceneStatePtr seenFrom(const SceneStatePtr& scene, const view::ViewPtr& view, const Box& box);

/// A setting's value on a frame, and on every other: a copy of the thing in which nothing has keys any more.
element::Look frozen(const element::Look& look, int frame);
element::Place frozen(const element::Place& place, int frame);

}  // namespace zentil::evaluate
