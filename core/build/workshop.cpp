#include "core/build/workshop.h"

#include <filesystem>

#include "core/base/hash.h"

namespace zentil::build {
namespace {

uint64_t frameKey(const image::Plate& plate, int frame) {
  return hashOf(static_cast<uint64_t>(frame), hashOf(plate.layer, hashOf(plate.colourSpace, hashOf(plate.pattern))));
}

uint64_t bitsOf(double v) {
  uint64_t bits;
  __builtin_memcpy(&bits, &v, 8);
  return bits;
}

uint64_t matteKey(const matte::Matte& m, const Box& display) {
  uint64_t h = hashOf(bitsOf(m.featherPx), hashOf("matte"));
  h = hashOf(static_cast<uint64_t>(display.x1), hashOf(static_cast<uint64_t>(display.y1), h));
  for (const auto& s : m.shapes) {
    h = hashOf(s.adds, hashOf(s.points.size(), h));
    for (const auto& p : s.points)
      for (const double v : {p.at.x(), p.at.y(), p.in.x(), p.in.y(), p.out.x(), p.out.y(), p.featherPx})
        h = hashOf(bitsOf(v), h);
  }
  return h;
}

}  // namespace

// Decoded frames take most of the room; mattes and boards a tenth.
Workshop::Workshop(size_t budgetBytes) : frames_(budgetBytes / 10 * 9), pictures_(budgetBytes / 10) {}

void Workshop::setBudget(size_t bytes) {
  frames_.setBudget(bytes / 10 * 9);
  pictures_.setBudget(bytes / 10);
}

Workshop::FramePtr Workshop::frame(const image::Plate& plate, int frame) {
  return frames_.get(frameKey(plate, frame), [&] { return image::readFrame(plate, frame); });
}

bool Workshop::hasFrame(const image::Plate& plate, int frame) const { return frames_.has(frameKey(plate, frame)); }

uint64_t Workshop::pictureKey(const std::string& file) {
  // A painter saves over the same name: the file's time belongs to the key.
  std::error_code ec;
  const auto time = std::filesystem::last_write_time(file, ec).time_since_epoch().count();
  return hashOf(static_cast<uint64_t>(time), hashOf(file, hashOf("picture")));
}

Workshop::FramePtr Workshop::picture(const std::string& file) {
  return frames_.get(pictureKey(file), [&] { return image::readPicture(file); });
}

Workshop::PicturePtr Workshop::drawnMatte(const matte::Matte& m, const Box& display) {
  return pictures_.get(matteKey(m, display), [&] { return matte::rasterise(m, display); });
}

Workshop::PicturePtr Workshop::checker(double widthM, double heightM, double squareM, bool lines) {
  uint64_t h = hashOf(lines, hashOf("checker"));
  for (const double v : {widthM, heightM, squareM}) h = hashOf(bitsOf(v), h);
  return pictures_.get(h, [&] { return element::checkerPicture(widthM, heightM, squareM, lines); });
}

set::RayScenePtr Workshop::scene(const shot::Shot& shot) {
  const std::lock_guard lock(sceneMutex_);
  if (!scene_ || scene_->surfaces() != shot.surfaces) {
    scene_ = std::make_shared<set::RayScene>(shot.surfaces);
    std::erase_if(alone_, [&](const auto& kept) { return !shot.surface(kept.first); });
  }
  return scene_;
}

set::RayScenePtr Workshop::sceneOf(const set::Surface& surface) {
  const std::lock_guard lock(sceneMutex_);
  auto& kept = alone_[surface.id];
  if (!kept || kept->surfaces()[0] != surface) kept = std::make_shared<set::RayScene>(std::vector{surface});
  return kept;
}

}  // namespace zentil::build
