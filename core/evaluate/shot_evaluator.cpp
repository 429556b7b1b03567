#include "core/evaluate/shot_evaluator.h"

#include "core/base/error.h"
#include "core/evaluate/content_keys.h"
#include "core/lens/content_key.h"

namespace zentil::evaluate {

using value::Hasher;

ShotEvaluatorPtr ShotEvaluator::of(std::shared_ptr<const shot::Shot> shot) {
  return ShotEvaluatorPtr(new ShotEvaluator(std::move(shot)));
}

SceneStatePtr ShotEvaluator::stage(int frame) const {
  {
    const std::lock_guard lock(mutex_);
    if (const auto it = stages_.find(frame); it != stages_.end()) return it->second;
  }
  auto s = std::make_shared<SceneState>();
  s->frame = frame;
  s->frameBox = shot_->frameBox();
  s->hasCamera = shot_->hasCamera(frame);
  s->camera = s->hasCamera ? shot_->cameraAt(frame) : shot_->camera->bodyAt(frame, shot_->width, shot_->height);
  s->lens = shot_->lensAt(frame);
  auto regions = std::make_shared<std::map<int, RegionNow>>();
  for (const auto& r : shot_->regions)
    if (r.has(frame)) regions->emplace(r.id, RegionNow{r.motion.at(frame), r.quad});
  s->regions = std::move(regions);
  s->around = shot_->projection == shot::Projection::Sphere;
  s->view = shot_->viewAt(frame);
  if (s->around) s->hasCamera = true;
  const bool moves =
      std::any_of(shot_->surfaces.begin(), shot_->surfaces.end(), [](const auto& x) { return x.moves(); });
  if (const std::lock_guard lock(mutex_); !moves && still_) s->surfaces = still_, s->surfacesKey = stillKey_;
  if (!s->surfaces) {
    auto surfaces = shot_->surfacesAt(frame);
    // Meshes as their files are now, read outside the lock: that may take seconds. One that cannot be read stays as it
    // was and is named by problemsOf.
    for (auto& x : surfaces)
      if (!x.meshFile.empty()) try {
          x.mesh = set::freshMesh(x.meshFile);
        } catch (const Error&) {
        }
    s->surfaces = std::make_shared<const std::vector<set::Surface>>(std::move(surfaces));
    s->surfacesKey = keyOf(*s->surfaces);
  }
  Hasher h;
  lens::addTo(h, s->lens);
  h.add(s->around).add(s->hasCamera).add(s->camera.position).add(s->camera.rotation).add(s->surfacesKey);
  if (const auto& path = *shot_->camera; path.readout != 0) {
    const auto roll = camera::rollOf(path, frame);
    h.add(path.readout);
    for (const auto& way : {roll.turn, roll.place}) h.add(way.first).add(way.second).add(way.before).add(way.after);
  }
  h.add(s->frameBox.x1).add(s->frameBox.y1);
  s->key = h.key();
  const std::lock_guard lock(mutex_);
  if (!moves && !still_) still_ = s->surfaces, stillKey_ = s->surfacesKey;
  // The scenes of hundreds of frames are not worth keeping; one frame asks for a few.
  constexpr size_t kMost = 4096;
  if (stages_.size() >= kMost) stages_.clear();
  return stages_.emplace(frame, s).first->second;
}

FrameState resolve(const shot::Shot& shot, int frame) { return ShotEvaluator::of(shot)->at(frame); }

}  // namespace zentil::evaluate
