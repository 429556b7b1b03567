#include "core/evaluate/content_keys.h"

#include "core/evaluate/matte_content.h"

namespace zentil::evaluate {

using value::Hasher;

uint64_t keyOf(const std::vector<set::Surface>& surfaces) {
  Hasher h;
  for (const auto& s : surfaces) {
    h.add(s.id).add(s.kind).add(s.position).add(s.turn).add(s.size).add(s.occludes);
    if (!s.meshFile.empty()) h.add(stampOf(s.meshFile).key());
  }
  return h.key();
}

void addTo(Hasher& h, const MattePart& p) {
  h.add(p.combine).add(p.inverted).add(p.shiftPx).add(p.follows).add(p.drawnOn).add(p.surface);
  h.add(std::visit([&](const auto& content) { return contentKey(content, p); }, p.content));
  if (p.there) h.add(p.there->key);
  if (p.motion) h.add(*p.motion);
}

void addTo(Hasher& h, const Cover& c) {
  h.add(c.inverted);
  for (const auto& p : c.parts) addTo(h, p);
}

void addRegion(Hasher& h, int region, const SceneState& scene) {
  if (region < 0) return;
  const auto it = scene.regions->find(region);
  h.add(it != scene.regions->end());
  if (it == scene.regions->end()) return;
  h.add(it->second.motion);
  for (const Vec2& corner : it->second.quad) h.add(corner);
}

}  // namespace zentil::evaluate
