#pragma once
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/evaluate/frame_state.h"
#include "core/shot/shot.h"

namespace zentil::evaluate {

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
  /// Whether something else than the plate's own pixels is delivered.
  bool hasOutputView() const { return !(shot_->output == shot::Output()); }
  /// How wide a delivered pixel is for its height.
  double outputPixelAspect() const;
  /// Whether what is delivered may show more than the plate has.
  bool outputHasAlpha() const;
  /// Whether what is delivered goes on beyond the plate's edge as other frames show it.
  bool outputFillsEdges() const;
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
  /// The view that is delivered, and its box. Throws Error where it cannot be: no camera, no path that steadies it.
  view::OutputView outputView(int frame) const;
  /// A frame's straight pixels, in a box of them.
  view::OutputView straightView(int frame, const Box& box) const;
  /// The moment of a frame, as it is delivered: at(), seen from the output view.
  FrameState output(int frame, std::vector<std::string>* failed = nullptr) const;
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
  FrameState bare(int frame) const;  ///< camera and set alone
  Layer layerOf(const element::Element& e, int frame) const;
  Layer plainLayerOf(const element::Element& e, int frame) const;  ///< without the frames nearby
  /// The same where an element's frames are put together: a key that is compared with that element cannot say what has
  /// to go from them, and the matte's other parts say it.
  Cover matteFor(const std::string& matteId, int frame, const std::string& gathering) const;
  std::vector<Cover> unwantedFor(const std::string& gathering, int frame) const;
  FrameState belowOf(const element::Element& e, int frame) const;  ///< the picture without it and what is above
  FileAt readOf(const element::Needs::Read& read) const;
  uint64_t allFramesKey() const;

  std::shared_ptr<const shot::Shot> shot_;
  mutable std::mutex mutex_;
  mutable std::unordered_map<int, SceneStatePtr> stages_;
  mutable std::shared_ptr<const std::vector<set::Surface>> still_;  ///< surfaces when none moves
  mutable uint64_t stillKey_ = 0;
  mutable std::optional<Box> straight_;
  mutable std::optional<uint64_t> allFrames_;
};
using ShotEvaluatorPtr = std::shared_ptr<const ShotEvaluator>;

/// The moment of one frame of a shot.
FrameState resolve(const shot::Shot& shot, int frame);

/// The smallest box that holds the whole plate, straight, over a shot's range (see Timeline::straight), as `wish` has
/// it.
Box overscan(const shot::Shot& shot, const shot::Overscan& wish);

}  // namespace zentil::evaluate
