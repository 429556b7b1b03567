#include "core/evaluate/frame_state.h"

#include <Eigen/LU>
#include <utility>

#include "core/base/error.h"
#include "core/evaluate/matte_content.h"
#include "core/lens/pixel_maps.h"
#include "core/set/points.h"
#include "core/shot/trackers.h"
#include "core/value/hash.h"
#include "core/value/path.h"

namespace zentil::evaluate {
namespace {

using value::Hasher;

void add(Hasher& h, const lens::LensOnPixels& l) {
  h.add(l.lens).add(l.fx).add(l.fy).add(l.cx).add(l.cy);
  if (l.lens.maps)
    for (const std::string& file : {l.lens.maps->undistortFile, l.lens.maps->redistortFile})
      if (!file.empty()) h.add(stampOf(file).key());
}

uint64_t keyOf(const std::vector<set::Surface>& surfaces) {
  Hasher h;
  for (const auto& s : surfaces) {
    h.add(s.id).add(s.kind).add(s.position).add(s.turn).add(s.size).add(s.occludes);
    if (!s.meshFile.empty()) h.add(stampOf(s.meshFile).key());
  }
  return h.key();
}

void add(Hasher& h, const MattePart& p) {
  h.add(p.combine).add(p.inverted).add(p.shiftPx).add(p.follows).add(p.drawnOn).add(p.surface);
  h.add(std::visit([&](const auto& content) { return contentKey(content, p); }, p.content));
  if (p.there) h.add(p.there->key);
  if (p.motion) h.add(*p.motion);
}

Box straightOver(const shot::Shot& shot, const shot::Overscan& wish) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0) && !shot.lens.maps)
    throw Error("the lens has no focal length: the shot has no camera",
                "Load one at Camera, or type the focal length there");
  shot::requireWorkable(shot.range);
  Box out;
  const lens::LensOnPixels* last = nullptr;
  lens::LensOnPixels kept;
  for (int f = shot.range.first; f <= shot.range.last; ++f) {
    const auto lens = shot.lensAt(f);
    if (last && lens.lens == kept.lens && lens.fx == kept.fx && lens.fy == kept.fy && lens.cx == kept.cx &&
        lens.cy == kept.cy)
      continue;
    out = unite(out, lens::straightBox(lens, shot.width, shot.height));
    kept = lens, last = &kept;
  }
  out = unite(out, shot.frameBox());
  if (wish.symmetric) {
    const int x = std::max(-out.x0, out.x1 - shot.width), y = std::max(-out.y0, out.y1 - shot.height);
    out = {-x, -y, shot.width + x, shot.height + y};
  }
  // Rounded up; evenly where both sides have to be the same (an odd plate and an even multiple never meet).
  const auto grow = [&](int& low, int& high) {
    for (int k = 0; k < wish.multiple && (high - low) % std::max(1, wish.multiple); ++k)
      if (wish.symmetric)
        --low, ++high;
      else
        ++high;
  };
  grow(out.x0, out.x1), grow(out.y0, out.y1);
  return out;
}

}  // namespace

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

namespace {
template <typename T>
T withoutKeys(T thing, int frame) {
  value::eachKeyable(thing, "", [&](const std::string&, const value::Setting& s) { s.freeze(frame); });
  return thing;
}
}  // namespace

element::Look frozen(const element::Look& look, int frame) {
  if (look.matched) return withoutKeys(look, frame);
  // As it is: what the match was is not looked at.
  element::Look plain = look;
  plain.matched = true, plain.light = element::Light::AsSet;
  plain.gain = element::Rgb{1, 1, 1}, plain.offset = element::Rgb{0, 0, 0}, plain.saturation = 1.0;
  return withoutKeys(plain, frame);
}
element::Place frozen(const element::Place& place, int frame) { return withoutKeys(place, frame); }

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
  add(h, s->lens);
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

FileAt ShotEvaluator::plateAt(int frame) const {
  const auto& p = shot_->worked();
  if (p.files.empty()) throw Error("the shot has no plate", "Open one");
  if (p.scale != 1)
    throw Error(fmt::format("\"{}\" has {:g} pixels for one of the shot's: it cannot be worked on so", p.name, p.scale),
                "Work on a plate of the shot's size, or give it the scale 1");
  if (p.files.width != shot_->width || p.files.height != shot_->height)
    throw Error(fmt::format("\"{}\" is {} x {}, the shot {} x {}: it cannot be worked on", p.name, p.files.width,
                            p.files.height, shot_->width, shot_->height),
                "Work on a plate of the shot's size");
  FileAt f{p.files, p.fileFrame(frame), p.scale, {}};
  f.stamp = stampOf(f.files.fileOf(f.frame));
  return f;
}

std::set<std::string> ShotEvaluator::inputFiles() const {
  std::set<std::string> out;
  const auto addPlate = [&](const image::Plate& files) {
    if (files.empty()) return;
    if (files.movie || files.pattern.find('#') == std::string::npos) {
      out.insert(files.fileOf(files.range.first));
      return;
    }
    for (int f = files.range.first; f <= files.range.last; ++f) out.insert(files.fileOf(f));
  };
  for (const auto& p : shot_->plates) addPlate(p.files);
  for (const auto& s : shot_->surfaces)
    if (!s.meshFile.empty()) out.insert(s.meshFile);
  if (shot_->lens.maps)
    for (const std::string& file : {shot_->lens.maps->undistortFile, shot_->lens.maps->redistortFile})
      if (!file.empty()) out.insert(file);
  for (int f = shot_->range.first; f <= shot_->range.last; ++f) {
    for (const auto& e : shot_->elements)
      for (const auto& read : std::visit([&](const auto& s) { return s.needsAt(f); }, e.source).reads)
        if (!read.files.empty()) out.insert(read.files.fileOf(read.frame));
    for (const auto& m : shot_->mattes)
      for (const auto& p : m.parts)
        std::visit(
            [&](const auto& content) {
              if constexpr (requires { content.files; }) out.insert(content.files.fileOf(f - content.shift));
            },
            p.content);
  }
  return out;
}

FileAt ShotEvaluator::readOf(const element::Needs::Read& read) const {
  FileAt f;
  if (!read.files.empty()) {
    f.files = read.files, f.frame = read.frame;
  } else {
    const shot::PlateUse* p = read.plate.empty() ? &shot_->worked() : shot_->plateUse(read.plate);
    if (!p) throw Error("a plate that it is taken from is gone", "Choose another");
    f.files = p->files, f.frame = p->fileFrame(read.frame), f.scale = p->scale;
  }
  f.stamp = stampOf(f.files.fileOf(f.frame));
  return f;
}

MattePart ShotEvaluator::partAt(const matte::Matte& m, const matte::Part& part, const std::string& elementSurface,
                                int frame) const {
  MattePart out;
  out.matte = m.name;
  out.combine = part.combine, out.inverted = part.inverted;
  matte::Part now = withoutKeys(part, frame);
  out.shiftPx = now.shiftPx.constant(), out.softPx = now.softPx.constant(), out.growPx = now.growPx.constant();
  out.content = std::move(now.content);
  std::visit(
      [&](const auto& content) {
        evaluateContent(content, part, {*this, *shot_, elementSurface, frame}, out);
      },
      out.content);
  return out;
}

Cover ShotEvaluator::matteAt(const std::string& id, int frame) const { return matteFor(id, frame, {}); }

Cover ShotEvaluator::matteFor(const std::string& id, int frame, const std::string& gathering) const {
  const auto* m = shot_->matte(id);
  if (!m) throw Error("the matte is gone", "Choose another");
  // What rides its element's own surface rides that of the first element it covers.
  std::string own;
  for (const auto& e : shot_->elements)
    if (own.empty() && std::any_of(e.cover.begin(), e.cover.end(), [&](const auto& x) { return x.matte == id; }))
      own = e.surface();
  Cover c;
  c.inverted = m->inverted;
  for (const auto& p : m->parts)
    if (p.on && (gathering.empty() ||
                 !std::visit([&](const auto& content) { return comparesWith(content, gathering); }, p.content)))
      c.parts.push_back(partAt(*m, p, own, frame));
  return c;
}

std::vector<Cover> ShotEvaluator::unwantedAt(int frame) const { return unwantedFor({}, frame); }

std::vector<Cover> ShotEvaluator::unwantedFor(const std::string& gathering, int frame) const {
  std::vector<Cover> out;
  for (const auto& m : shot_->mattes)
    if (m.removal) out.push_back(matteFor(m.id, frame, gathering)), out.back().combine = matte::Combine::Add;
  std::erase_if(out, [](const Cover& c) { return c.parts.empty(); });
  return out;
}

std::vector<int> ShotEvaluator::plateFrames() const {
  std::vector<int> out;
  const FrameRange r = overlap(shot_->range, shot_->worked().range());
  const auto& missing = shot_->plate().missing;
  for (int f = r.first; f <= r.last; ++f)
    if (std::find(missing.begin(), missing.end(), shot_->worked().fileFrame(f)) == missing.end()) out.push_back(f);
  return out;
}

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
    for (const auto& c : near->layers.front().excluded) {
      h.add(c.inverted);
      for (const auto& p : c.parts) add(h, p);
    }
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
        add(h, cover.parts.back());
      }
    l.cover.push_back(std::move(cover));
  }
  const element::Needs needs = std::visit([&](const auto& s) { return s.needsAt(frame); }, e.source);
  if (needs.below) l.below = std::make_shared<const FrameState>(belowOf(e, *needs.below)), h.add(l.below->key);
  if (needs.stage) l.held = stage(*needs.stage), h.add(l.held->key);
  for (const auto& r : needs.reads) l.files.push_back(readOf(r)), h.add(l.files.back().key());
  // What carries it counts only where it does.
  const int region = regionOf(l.place);
  const auto addMotion = [&](Hasher& to, const SceneState& there) {
    const auto it = there.regions->find(region);
    if (region >= 0) to.add(it != there.regions->end());
    if (region < 0 || it == there.regions->end()) return;
    to.add(it->second.motion);
    for (const Vec2& corner : it->second.quad) to.add(corner);
  };
  addMotion(h, *stage(frame));
  if (l.held) addMotion(h, *l.held);
  if (needs.eachBySight) {
    Hasher all;
    for (size_t i = 0; i < needs.reads.size(); ++i) {
      if (!needs.reads[i].files.empty()) continue;  // no plate's
      const int f = needs.reads[i].frame;
      l.sources.push_back({stage(f), l.files[i], unwantedFor(e.id, f)});
      all.add(l.sources.back().stage->key).add(l.files[i].key());
      addMotion(all, *l.sources.back().stage);
      for (const auto& c : l.sources.back().excluded) {
        all.add(c.inverted);
        for (const auto& p : c.parts) add(all, p);
      }
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
        *to = beside, h.add(f).add(beside->key), addMotion(h, *beside);
  l.shapeKey = h.key();
  h.add(l.look);
  if (l.look.freshGrain && shot_->worked().grain.known()) {
    l.grain = shot_->worked().grain;
    h.add(*l.grain).add(frame);  // every frame has its own
  }
  l.key = h.key();
  return l;
}

FrameState ShotEvaluator::at(int frame, std::vector<std::string>* failed) const {
  FrameState m;
  m.frame = frame;
  m.here = stage(frame);
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
  m.straight = [self = shared_from_this()] { return self->straight(); };
  m.key = h.key();
  return m;
}

FrameState ShotEvaluator::belowOf(const element::Element& above, int frame) const {
  FrameState m;
  m.frame = frame;
  m.here = stage(frame);
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
  m.straight = [self = shared_from_this()] { return self->straight(); };
  m.key = h.key();
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

FrameState ShotEvaluator::only(const std::string& id, int frame) const {
  FrameState m;
  m.frame = frame;
  m.here = stage(frame);
  if (shot_->hasPlate()) m.plate = plateAt(frame);
  if (const auto* e = shot_->element(id); shows(id, frame))
    m.layers.push_back(layerOf(*e, frame)), m.key = m.layers.back().key;
  m.straight = [self = shared_from_this()] { return self->straight(); };
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
  FrameState m;
  m.frame = frame;
  m.here = stage(frame);
  m.layers.push_back(plainLayerOf(plain, frame));
  m.key = m.layers.back().key;
  m.straight = [self = shared_from_this()] { return self->straight(); };
  return m;
}

Box ShotEvaluator::straight() const {
  {
    const std::lock_guard lock(mutex_);
    if (straight_) return *straight_;
  }
  const Box box = straightOver(*shot_, shot_->overscan);
  const std::lock_guard lock(mutex_);
  straight_ = box;
  return box;
}

bool ShotEvaluator::lensChanges() const {
  shot::requireWorkable(shot_->range);
  const auto first = shot_->lensAt(shot_->range.first);
  for (int f = shot_->range.first; f <= shot_->range.last; ++f) {
    const auto lens = shot_->lensAt(f);
    if (!(lens.lens == first.lens) || (!lens.lens.maps && !lens.lens.isStraight() && lens.fx != first.fx)) return true;
  }
  return false;
}

FrameState resolve(const shot::Shot& shot, int frame) { return ShotEvaluator::of(shot)->at(frame); }

Box overscan(const shot::Shot& shot, const shot::Overscan& wish) { return straightOver(shot, wish); }

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
