#pragma once

#include "core/evaluate/frame_state.h"
#include "core/value/hash.h"
#include "core/value/path.h"

/// What a frame's pictures hang on, as keys: equal keys mean equal pixels.
namespace zentil::evaluate {

void addTo(value::Hasher& h, const MattePart& part);
/// A matte as a layer that stands by itself: its own sense and its parts.
void addTo(value::Hasher& h, const Cover& cover);
/// Where the region that carries a place is on that frame; nothing where no region does.
void addRegion(value::Hasher& h, int region, const SceneState& scene);
uint64_t keyOf(const std::vector<set::Surface>& surfaces);

/// A thing whose settings all hold what they hold on a frame.
template <typename T>
T withoutKeys(T thing, int frame) {
  value::eachKeyable(thing, "", [&](const std::string&, const value::Setting& s) { s.freeze(frame); });
  return thing;
}

}  // namespace zentil::evaluate
