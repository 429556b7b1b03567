#include "core/comp/render_cache.h"

#include <cstdlib>
#include <string_view>

#include "core/value/hash.h"

namespace zentil::comp {
namespace {

uint64_t frameKey(const evaluate::FileAt& file) { return value::Hasher().add("frame").add(file.key()).key(); }

size_t sizeOf(const image::Plate& p) { return static_cast<size_t>(p.width) * p.height * 4 * sizeof(float); }

evaluate::FileAt at(const image::Plate& plate, int frame) { return {plate, frame, 1, stampOf(plate.fileOf(frame))}; }

}  // namespace

RenderCache::FramePtr RenderCache::frame(const evaluate::FileAt& file) {
  return shelf_.get<image::Frame>(frameKey(file), sizeOf(file.files),
                                  [&] { return image::readFrame(file.files, file.frame); });
}

RenderCache::FramePtr RenderCache::frame(const image::Plate& plate, int f) { return frame(at(plate, f)); }

bool RenderCache::hasFrame(const evaluate::FileAt& file) const { return shelf_.has(frameKey(file)); }

set::RayScenePtr RenderCache::scene(const evaluate::SceneState& stage) {
  // A scene is shared as it is; the shelf only knows how large it is.
  struct Kept {
    set::RayScenePtr scene;
    size_t bytes() const { return scene->bytes(); }
  };
  const uint64_t key = value::Hasher().add("scene").add(stage.surfacesKey).key();
  return shelf_.get<Kept>(key, 0, [&] { return Kept{std::make_shared<set::RayScene>(*stage.surfaces)}; })->scene;
}

set::RayScenePtr RenderCache::sceneOf(const set::Surface& s) {
  evaluate::SceneState alone;
  alone.surfaces = std::make_shared<const std::vector<set::Surface>>(std::vector{s});
  value::Hasher h;
  h.add("alone").add(s.kind).add(s.position).add(s.turn).add(s.size).add(s.occludes).add(s.id);
  h.add(reinterpret_cast<uint64_t>(s.mesh.get()));  // held by the scene for as long as it is kept
  alone.surfacesKey = h.key();
  return scene(alone);
}

void RenderCache::setKeptFolder(const std::filesystem::path& folder) {
  const std::lock_guard lock(keptMutex_);
  if (kept_ && kept_->folder() == folder) return;
  kept_ = folder.empty() ? nullptr : std::make_shared<image::KeptFiles>(folder);
}

std::shared_ptr<image::KeptFiles> RenderCache::keptFiles() const {
  const std::lock_guard lock(keptMutex_);
  return kept_;
}

std::filesystem::path keptFolderFor(const std::filesystem::path& shotFile) {
  const char* said = std::getenv("ZENTIL_KEPT");
  if (shotFile.empty() || (said && std::string_view(said) == "off")) return {};
  return std::filesystem::path(shotFile).replace_extension(".cache");
}

}  // namespace zentil::comp
