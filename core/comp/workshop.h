#pragma once
#include <memory>

#include "core/image/plate.h"
#include "core/image/shelf.h"
#include "core/moment/moment.h"
#include "core/set/ray_scene.h"

namespace zentil::comp {

/// What making pictures needs again and again: decoded frames, drawn mattes, ray scenes; each kept by a key of its
/// content, all within one budget. Making stays a pure function of the moment; this only makes it quick. Safe from many
/// threads.
class Workshop {
 public:
  explicit Workshop(size_t budgetBytes) : shelf_(budgetBytes) {}

  using FramePtr = std::shared_ptr<const image::Frame>;
  using PicturePtr = std::shared_ptr<const image::Picture>;

  /// A decoded frame, as the file is now. Throws as readFrame does; failures are not kept.
  FramePtr frame(const moment::FileAt& file);
  FramePtr frame(const image::Plate& plate, int frame);
  bool hasFrame(const moment::FileAt& file) const;
  /// A frame that make() -> image::Frame gives, kept by a key of all it depends on.
  template <typename Make>
  FramePtr made(uint64_t key, size_t expected, const Make& make) {
    return shelf_.get<image::Frame>(key, expected, make);
  }
  /// A picture that make() -> image::Picture gives, likewise.
  template <typename Make>
  PicturePtr picture(uint64_t key, size_t expected, const Make& make) {
    return shelf_.get<image::Picture>(key, expected, make);
  }
  /// Anything else that make() -> Thing gives, likewise; Thing has bytes().
  template <typename Thing, typename Make>
  std::shared_ptr<const Thing> thing(uint64_t key, const Make& make) {
    return shelf_.get<Thing>(key, 0, make);
  }
  /// Whether something lies ready under a key.
  bool has(uint64_t key) const { return shelf_.has(key); }
  /// The set as it stands on a stage, ready for rays.
  set::RayScenePtr scene(const moment::Stage& stage);
  /// One surface by itself, with nothing else in the way.
  set::RayScenePtr sceneOf(const set::Surface& surface);

  size_t bytes() const { return shelf_.bytes(); }
  void setBudget(size_t bytes) { shelf_.setBudget(bytes); }
  void setHeldElsewhere(size_t bytes) { shelf_.setHeldElsewhere(bytes); }

 private:
  image::Shelf shelf_;
};

}  // namespace zentil::comp
