#include "core/evaluate/frame_state.h"

#include "core/evaluate/content_keys.h"

namespace zentil::evaluate {

using value::Hasher;

uint64_t FileAt::key() const {
  // By the file's own name and stamp: a folder that was moved holds the same pictures.
  return Hasher()
      .add(std::filesystem::path(files.fileOf(frame)).filename().string())
      .add(frame)
      .add(files.layer)
      .add(files.colourSpace)
      .add(files.fields)
      .add(scale)
      .add(stamp.key())
      .key();
}

const set::Surface* SceneState::surface(const std::string& id) const {
  for (const auto& s : *surfaces)
    if (s.id == id) return &s;
  return nullptr;
}

bool SceneState::carries(const element::Place& place) const {
  if (const int r = regionOf(place); r >= 0) return regions->count(r) != 0;
  return !wantsSurface(place) || hasCamera;
}

const Layer* FrameState::layer(const std::string& id) const {
  for (const auto& l : layers)
    if (l.id == id) return &l;
  return nullptr;
}

SceneStatePtr seenFrom(const SceneStatePtr& scene, const view::ViewPtr& view, const Box& box) {
  const SceneStatePtr shot = scene->asShot ? scene->asShot : scene;
  const uint64_t viewKey = view->key();
  if (box == shot->frameBox && (view == shot->view || viewKey == shot->view->key())) return shot;
  auto out = std::make_shared<SceneState>(*shot);
  out->view = view, out->frameBox = box, out->asShot = shot;
  out->around = view->isAround();
  // The lens belongs to the plate; what another view is of it is in its rays.
  out->lens = {};
  if (const auto* pinhole = view->pinhole()) out->camera = *pinhole;
  Hasher h;
  h.add("seen from").add(shot->key).add(viewKey).add(box.x0).add(box.y0).add(box.x1).add(box.y1);
  out->key = h.key();
  return out;
}

FrameState seenFrom(const FrameState& state, const view::ViewPtr& view, const Box& box) {
  FrameState out = state;
  out.here = seenFrom(state.here, view, box);
  if (out.here != state.here) out.key = Hasher().add("seen from").add(state.key).add(out.here->key).key();
  return out;
}

element::Look frozen(const element::Look& look, int frame) {
  if (look.matched) return withoutKeys(look, frame);
  // As it is: what the match was is not looked at.
  element::Look plain = look;
  plain.matched = true, plain.light = element::Light::AsSet;
  plain.gain = element::Rgb{1, 1, 1}, plain.offset = element::Rgb{0, 0, 0}, plain.saturation = 1.0;
  return withoutKeys(plain, frame);
}

element::Place frozen(const element::Place& place, int frame) { return withoutKeys(place, frame); }

Layer::Layer() = default;
Layer::Layer(const Layer&) = default;
Layer::Layer(Layer&&) noexcept = default;
Layer& Layer::operator=(const Layer&) = default;
Layer& Layer::operator=(Layer&&) noexcept = default;
Layer::~Layer() = default;

FrameState::FrameState() = default;
FrameState::FrameState(const FrameState&) = default;
FrameState::FrameState(FrameState&&) noexcept = default;
FrameState& FrameState::operator=(const FrameState&) = default;
FrameState& FrameState::operator=(FrameState&&) noexcept = default;
FrameState::~FrameState() = default;

}  // namespace zentil::evaluate
