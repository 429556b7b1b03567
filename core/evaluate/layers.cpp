#include "core/evaluate/shot_evaluator.h"

#include "core/base/error.h"
#include "core/evaluate/content_keys.h"

namespace zentil::evaluate {

using value::Hasher;

Layer ShotEvaluator::layerOf(const element::Element& e, int frame) const {
  Layer l = plainLayerOf(e, frame);
  if (l.look.light == element::Light::AsSet) return l;
  Hasher h;
  h.add(l.key);
  const int reach = static_cast<int>(l.look.steadyFrames);
  for (const int f : plateFrames()) {
    if (std::abs(f - frame) > reach || !e.showsSomething(f)) continue;
    auto near = std::make_shared<FrameState>();
    near->frame = f, near->here = stage(f), near->plate = plateAt(f);
    near->layers.push_back(plainLayerOf(e, f));
    near->layers.front().excluded = unwantedAt(f);
    h.add(near->layers.front().shapeKey).add(near->plate->key());
    for (const auto& c : near->layers.front().excluded) addTo(h, c);
    near->key = h.key();
    l.nearby.push_back(std::move(near));
  }
  l.key = h.key();
  return l;
}

Layer ShotEvaluator::plainLayerOf(const element::Element& e, int frame) const {
  Layer l;
  l.id = e.id, l.name = e.name, l.frame = frame;
  l.source = withoutKeys(e.source, frame), l.place = frozen(e.place, frame);
  l.look = frozen(e.look, frame);
  Hasher h;
  h.add(l.source).add(l.place);
  for (const auto& c : e.cover) {
    const auto* m = shot_->matte(c.matte);
    if (!m) throw Error(fmt::format("\"{}\" names a matte that is gone", e.name), "Choose another");
    Cover cover;
    cover.combine = c.combine, cover.inverted = c.inverted != m->inverted;
    h.add(cover.combine).add(cover.inverted).add(static_cast<uint64_t>(m->parts.size()));
    for (const auto& p : m->parts)
      if (p.on) {
        cover.parts.push_back(partAt(*m, p, e.surface(), frame));
        addTo(h, cover.parts.back());
      }
    l.cover.push_back(std::move(cover));
  }
  const element::Needs needs = std::visit([&](const auto& s) { return s.needsAt(frame); }, e.source);
  if (needs.below) l.below = std::make_shared<const FrameState>(belowOf(e, *needs.below)), h.add(l.below->key);
  if (needs.stage) l.held = stage(*needs.stage);
  if (l.held && !needs.measuredOnly) h.add(l.held->key);
  for (const auto& r : needs.reads) l.files.push_back(readOf(r)), h.add(l.files.back().key());
  // What carries it counts only where it does.
  const int region = regionOf(l.place);
  addRegion(h, region, *stage(frame));
  if (l.held && !needs.measuredOnly) addRegion(h, region, *l.held);
  if (needs.eachBySight) {
    Hasher all;
    for (size_t i = 0; i < needs.reads.size(); ++i) {
      if (!needs.reads[i].files.empty()) continue;  // no plate's
      const int f = needs.reads[i].frame;
      l.sources.push_back({stage(f), l.files[i], unwantedFor(e.id, f)});
      all.add(l.sources.back().stage->key).add(l.files[i].key());
      addRegion(all, region, *l.sources.back().stage);
      for (const auto& c : l.sources.back().excluded) addTo(all, c);
    }
    element::Source bare = l.source;
    // Where it is laid from, and what is painted, changes nothing about what is put together.
    std::visit(
        [](auto& x) {
          if constexpr (requires { x.from.acrossM; }) x.from = {};
          if constexpr (requires { x.strokes; }) x.strokes.clear();
        },
        bare);
    l.sourcesKey = all.add(bare).add(e.surface()).add(region).key();
    h.add(l.sourcesKey);
  }
  h.add(stage(frame)->key);
  if (l.look.shutter.constant() > 0)
    for (const auto& [to, f] : {std::pair(&l.before, frame - 1), std::pair(&l.after, frame + 1)})
      if (const auto beside = stage(f); beside->carries(l.place))
        *to = beside, h.add(f).add(beside->key), addRegion(h, region, *beside);
  l.shapeKey = h.key();
  h.add(l.look);
  element::eachStage(l.look, [&](const auto& stage) {
    if constexpr (requires { stage.readsPlate(); })
      if (stage.readsPlate() && shot_->hasPlate()) h.add(plateAt(frame).key());
  });
  if (l.look.freshGrain && shot_->worked().grain.known()) {
    l.grain = shot_->worked().grain;
    h.add(*l.grain).add(frame);  // every frame has its own
  }
  l.key = h.key();
  return l;
}

FrameState ShotEvaluator::bare(int frame) const {
  FrameState m;
  m.frame = frame;
  m.here = stage(frame);
  m.straight = [self = shared_from_this()] { return self->straight(); };
  return m;
}

FrameState ShotEvaluator::at(int frame, std::vector<std::string>* failed) const {
  FrameState m = bare(frame);
  Hasher h;
  if (shot_->hasPlate()) m.plate = plateAt(frame), h.add(m.plate->key());
  for (const auto& e : shot_->elements) {
    if (!e.shows(frame)) continue;
    try {
      m.layers.push_back(layerOf(e, frame)), h.add(m.layers.back().key);
    } catch (const Error& error) {
      if (!failed) throw;
      failed->push_back(error.what());
      h.add(failed->back());
    }
  }
  m.key = h.key();
  return m;
}

FrameState ShotEvaluator::belowOf(const element::Element& above, int frame) const {
  FrameState m = bare(frame);
  Hasher h;
  h.add("below");
  if (shot_->hasPlate()) m.plate = plateAt(frame), h.add(m.plate->key());
  for (const auto& e : shot_->elements) {
    if (e.id == above.id) break;
    if (!e.shows(frame)) continue;
    // Grain that is laid afresh on every frame is nothing to paint on: it would stand still in the paint.
    element::Element plain = e;
    plain.look.freshGrain = false;
    m.layers.push_back(layerOf(plain, frame)), h.add(m.layers.back().key);
  }
  m.key = h.key();
  return m;
}

FrameState ShotEvaluator::only(const std::string& id, int frame) const {
  FrameState m = bare(frame);
  if (shot_->hasPlate()) m.plate = plateAt(frame);
  if (const auto* e = shot_->element(id); shows(id, frame))
    m.layers.push_back(layerOf(*e, frame)), m.key = m.layers.back().key;
  return m;
}

FrameState ShotEvaluator::shown(const std::string& id, int frame) const {
  const auto* e = shot_->element(id);
  if (!e) throw Error("what a key is compared with is gone", "Choose an element for it");
  // A key that is made from an element that is made from the key would never end.
  static thread_local std::vector<std::string> making;
  if (std::find(making.begin(), making.end(), id) != making.end())
    throw Error(fmt::format("a key is compared with \"{}\", which is made from that key", e->name),
                "Compare it with another element, or draw the removal matte as shapes");
  making.push_back(id);
  struct Done {
    ~Done() { making.pop_back(); }
  } done;
  element::Element plain = *e;
  plain.cover.clear();
  plain.look.opacity = 1.0, plain.look.merge = element::Merge::Over, plain.look.light = element::Light::AsSet;
  plain.look.freshGrain = false;
  FrameState m = bare(frame);
  m.layers.push_back(plainLayerOf(plain, frame));
  m.key = m.layers.back().key;
  return m;
}

const element::Place& ShotEvaluator::placeOf(const std::string& id) const {
  const auto* e = shot_->element(id);
  if (!e) throw Error("the element is gone", "Choose another");
  return e->place;
}

bool ShotEvaluator::shows(const std::string& id, int frame) const {
  const auto* e = shot_->element(id);
  return e && (e->range.count() == 0 || e->range.contains(frame));
}

}  // namespace zentil::evaluate
