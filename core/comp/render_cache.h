#pragma once
#include <memory>
#include <mutex>

#include "core/base/hash.h"
#include "core/comp/pixels_version.h"
#include "core/evaluate/frame_state.h"
#include "core/image/kept_files.h"
#include "core/image/lru_cache.h"
#include "core/image/plate.h"
#include "core/set/ray_scene.h"

namespace zentil::comp {

/// What making pictures needs again and again: decoded frames, drawn mattes, ray scenes; each kept by a key of its
/// content, all within one budget. Making stays a pure function of the moment; this only makes it quick. Safe from many
/// threads.
class RenderCache {
 public:
  explicit RenderCache(size_t budgetBytes) : shelf_(budgetBytes) {}

  using FramePtr = std::shared_ptr<const image::Frame>;
  using PicturePtr = std::shared_ptr<const image::Picture>;

  /// A decoded frame, as the file is now. Throws as readFrame does; failures are not kept.
  FramePtr frame(const evaluate::FileAt& file);
  FramePtr frame(const image::Plate& plate, int frame);
  bool hasFrame(const evaluate::FileAt& file) const;
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
  /// The same for what is slow to make, and small for that: kept in files beside the shot too, where a folder was given
  /// for them. Thing has kept() -> image::KeptThing, and is made from one.
  template <typename Thing, typename Make>
  std::shared_ptr<const Thing> lasting(uint64_t key, const Make& make) {
    return thing<Thing>(key, [&] {
      const auto files = keptFiles();
      const uint64_t onDisk = diskKey(key);
      if (files)
        if (auto kept = files->read(onDisk)) return Thing(std::move(*kept));
      Thing made = make();
      if (files) files->write(onDisk, made.kept());
      return made;
    });
  }
  /// A picture, likewise.
  template <typename Make>
  PicturePtr lastingPicture(uint64_t key, const Make& make) {
    return picture(key, 0, [&] {
      const auto files = keptFiles();
      if (files)
        if (auto kept = files->read(diskKey(key)); kept && kept->pictures.size() == 1)
          return std::move(kept->pictures.front());
      image::Picture made = make();
      if (files) files->write(diskKey(key), {{}, {made}});
      return made;
    });
  }
  /// Whether it lies ready under a key, here or in a file.
  bool hasLasting(uint64_t key) const {
    if (has(key)) return true;
    const auto files = keptFiles();
    return files && files->has(diskKey(key));
  }
  /// Where things that last are kept; an empty path: nowhere.
  void setKeptFolder(const std::filesystem::path& folder);
  /// Whether something lies ready under a key.
  bool has(uint64_t key) const { return shelf_.has(key); }
  /// The set as it stands on a stage, ready for rays.
  set::RayScenePtr scene(const evaluate::SceneState& stage);
  /// One surface by itself, with nothing else in the way.
  set::RayScenePtr sceneOf(const set::Surface& surface);

  size_t bytes() const { return shelf_.bytes(); }
  void setBudget(size_t bytes) { shelf_.setBudget(bytes); }
  void setHeldElsewhere(size_t bytes) { shelf_.setHeldElsewhere(bytes); }

 private:
  std::shared_ptr<image::KeptFiles> keptFiles() const;
  static uint64_t diskKey(uint64_t key) { return hashOf(key, hashOf(uint64_t{kPixelsVersion}, uint64_t{0})); }

  image::LruCache shelf_;
  mutable std::mutex keptMutex_;
  std::shared_ptr<image::KeptFiles> kept_;
};

/// Where what lasts is kept for a shot's file: NAME.cache beside it. Empty for a shot without a file, and where the
/// environment says ZENTIL_KEPT=off.
std::filesystem::path keptFolderFor(const std::filesystem::path& shotFile);

}  // namespace zentil::comp
