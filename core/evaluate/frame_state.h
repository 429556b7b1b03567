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
#include "core/view/view.h"

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
  view::ViewPtr view;   ///< how the shot's pixels see: camera and lens, or the sphere
  Box frameBox;         ///< the shot's pixels
  std::shared_ptr<const std::vector<set::Surface>> surfaces;
  std::shared_ptr<const std::map<int, RegionNow>> regions;  ///< those that were followed to here, by id
  uint64_t surfacesKey = 0;                                 ///< of the surfaces as they stand, and their meshes' files
  uint64_t key = 0;                                         ///< of all of it

  const set::Surface* surface(const std::string& id) const;
  /// Whether what a place is on, and what carries it, is known on this frame.
  bool carries(const element::Place& place) const;
};
using SceneStatePtr = std::shared_ptr<const SceneState>;

struct FrameState;

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

/// A shot's moments, one after the other; keeps what they share. Safe from many threads.
class ShotEvaluator : public std::enable_shared_from_this<ShotEvaluator> {
 public:
  static std::shared_ptr<const ShotEvaluator> of(std::shared_ptr<const shot::Shot> shot);
  static std::shared_ptr<const ShotEvaluator> of(const shot::Shot& shot) {
    return of(std::make_shared<shot::Shot>(shot));
  }

  const std::string& name() const { return shot_->name; }
  const FrameRange& range() const { return shot_->range; }
  /// Frames that the plate has within the shot's range.
  std::vector<int> plateFrames() const;
  double fps() const { return shot_->plate().fps; }
  const camera::CameraPath& cameraPath() const { return *shot_->camera; }
  const shot::Delivery& delivery() const { return shot_->delivery; }
  Box frameBox() const { return shot_->frameBox(); }

  /// What is wrong with the shot, without decoding pictures (shot::problemsOf).
  std::vector<shot::Problem> problems() const { return shot::problemsOf(*shot_, false); }

  /// The moment of a frame, with the elements that show on it. Throws Error for an element whose cover or source names
  /// what is gone; where `failed` is given, such an element is left out and what is wrong with it is added there.
  FrameState at(int frame, std::vector<std::string>* failed = nullptr) const;
  /// Its one element alone, whether it is on or not; no layer when it does not show there. Throws Error as at() does.
  FrameState only(const std::string& elementId, int frame) const;
  /// What an element shows on a frame, for comparing: without its cover, at full strength, its light as it was set and
  /// no grain laid on it. Throws Error when it is gone, shows nothing there, or is made from what it is compared for.
  FrameState shown(const std::string& elementId, int frame) const;
  /// Where an element lands. Throws Error when it is gone.
  const element::Place& placeOf(const std::string& elementId) const;
  /// Whether an element is there and in its range on a frame.
  bool shows(const std::string& elementId, int frame) const;
  SceneStatePtr stage(int frame) const;
  /// The plate's file of a frame.
  FileAt plateAt(int frame) const;
  /// Every file that the shot is made from, whatever is shown: plates, what elements (hidden ones too) and mattes read,
  /// the lens's ST maps, meshes.
  std::set<std::string> inputFiles() const;
  /// A matte by itself, evaluated, for tracking. Throws Error when it is gone.
  Cover matteAt(const std::string& matteId, int frame) const;
  /// All that has to go, on a frame; none where nothing has.
  std::vector<Cover> unwantedAt(int frame) const;
  /// One part of a matte, evaluated; `elementSurface` is ridden where the part names none.
  MattePart partAt(const matte::Matte& matte, const matte::Part& part, const std::string& elementSurface,
                   int frame) const;

  /// The smallest box that holds the whole plate, straight, on every frame of the range, as the shot wishes: grown to
  /// be the same on both sides, rounded up. Throws Error when the lens folds over inside the frame.
  Box straight() const;
  /// True when the lens is not the same on every frame: keyed coefficients, or a focal length that changes.
  bool lensChanges() const;

 private:
  explicit ShotEvaluator(std::shared_ptr<const shot::Shot> shot) : shot_(std::move(shot)) {}
  Layer layerOf(const element::Element& e, int frame) const;
  Layer plainLayerOf(const element::Element& e, int frame) const;  ///< without the frames nearby
  /// The same where an element's frames are put together: a key that is compared with that element cannot say what has
  /// to go from them, and the matte's other parts say it.
  Cover matteFor(const std::string& matteId, int frame, const std::string& gathering) const;
  std::vector<Cover> unwantedFor(const std::string& gathering, int frame) const;
  FrameState belowOf(const element::Element& e, int frame) const;  ///< the picture without it and what is above
  FileAt readOf(const element::Needs::Read& read) const;

  std::shared_ptr<const shot::Shot> shot_;
  mutable std::mutex mutex_;
  mutable std::unordered_map<int, SceneStatePtr> stages_;
  mutable std::shared_ptr<const std::vector<set::Surface>> still_;  ///< surfaces when none moves
  mutable uint64_t stillKey_ = 0;
  mutable std::optional<Box> straight_;
};
using ShotEvaluatorPtr = std::shared_ptr<const ShotEvaluator>;

/// The moment of one frame of a shot.
FrameState resolve(const shot::Shot& shot, int frame);

/// A setting's value on a frame, and on every other: a copy of the thing in which nothing has keys any more.
element::Look frozen(const element::Look& look, int frame);
element::Place frozen(const element::Place& place, int frame);

/// The smallest box that holds the whole plate, straight, over a shot's range (see Timeline::straight), as `wish` has
/// it.
Box overscan(const shot::Shot& shot, const shot::Overscan& wish);

}  // namespace zentil::evaluate
