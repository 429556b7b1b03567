#pragma once
#include <map>
#include <memory>
#include <mutex>

#include "core/image/cache.h"
#include "core/image/plate.h"
#include "core/shot/shot.h"

namespace zentil::build {

/// What building needs again and again: decoded frames, drawn mattes, ray scenes; each kept by a key of its content,
/// within a budget. Evaluation stays a pure function of the shot; this only makes it quick. Safe from many threads.
class Workshop {
 public:
  explicit Workshop(size_t budgetBytes);

  using FramePtr = image::Cache<image::Frame>::Ptr;
  using PicturePtr = image::Cache<image::Picture>::Ptr;

  /// A decoded frame of a plate. Throws as readFrame does; failures are not kept.
  FramePtr frame(const image::Plate& plate, int frame);
  bool hasFrame(const image::Plate& plate, int frame) const;
  /// A picture file that stands by itself.
  FramePtr picture(const std::string& file);
  /// What such a file is kept by: its name and when it was written.
  static uint64_t pictureKey(const std::string& file);
  /// A frame that make() -> image::Frame gives, kept by a key of all it depends on.
  template <typename Make>
  FramePtr made(uint64_t key, const Make& make) {
    return frames_.get(key, make);
  }
  /// A matte's shapes, drawn (see matte::rasterise).
  PicturePtr drawnMatte(const matte::Matte& matte, const Box& display);
  /// A checkerboard for a surface.
  PicturePtr checker(double widthM, double heightM, double squareM, bool lines);
  /// The shot's surfaces, ready for rays.
  set::RayScenePtr scene(const shot::Shot& shot);
  /// One surface by itself, with nothing else in the way.
  set::RayScenePtr sceneOf(const set::Surface& surface);

  size_t bytes() const { return frames_.bytes() + pictures_.bytes(); }
  void setBudget(size_t bytes);

 private:
  image::Cache<image::Frame> frames_;
  image::Cache<image::Picture> pictures_;
  std::mutex sceneMutex_;
  set::RayScenePtr scene_;
  std::map<std::string, set::RayScenePtr> alone_;  // by surface id
};

}  // namespace zentil::build
