#include "core/evaluate/fewer_sources.h"

#include "core/element/source.h"
#include "core/value/hash.h"

namespace zentil::evaluate {
namespace {

/// Whether it has become another.
bool reduce(Layer& layer, size_t most) {
  bool changed = false;
  const size_t n = layer.sources.size();
  if (element::isFromManyFrames(layer.source) && n > most) {
    std::vector<FillSource> kept;
    // The first is the one that the others are laid on.
    for (size_t k = 0; k < most; ++k) kept.push_back(layer.sources[k * n / most]);
    layer.sources = std::move(kept);
    layer.sourcesKey = value::Hasher().add("fewer").add(layer.sourcesKey).add(static_cast<uint64_t>(most)).key();
    layer.drafted = changed = true;
  }
  if (layer.below) {
    bool below = false;
    auto fewer = std::make_shared<const FrameState>(withFewerSources(*layer.below, most, &below));
    if (below) layer.below = std::move(fewer), changed = true;
  }
  if (changed)
    for (uint64_t* key : {&layer.key, &layer.shapeKey})
      *key = value::Hasher().add("fewer").add(*key).add(static_cast<uint64_t>(most)).key();
  return changed;
}

}  // namespace

FrameState withFewerSources(const FrameState& state, size_t most, bool* drafted) {
  FrameState out = state;
  bool any = false;
  for (Layer& layer : out.layers) any = reduce(layer, most) || any;
  if (any) out.key = value::Hasher().add("fewer").add(out.key).add(static_cast<uint64_t>(most)).key();
  if (drafted) *drafted = any;
  return out;
}

}  // namespace zentil::evaluate
