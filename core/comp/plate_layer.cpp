#include "core/comp/plate_layer.h"

#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/sight.h"
#include "core/image/crop.h"
#include "core/map/between.h"
#include "core/map/lattice.h"
#include "core/set/scene_reprojection.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using evaluate::SceneState;
using image::Picture;

bool fromOnePlace(const SceneState& a, const SceneState& b) {
  constexpr double kSameM = 1e-9;
  return !a.hasCamera || !b.hasCamera || (a.view->position() - b.view->position()).norm() < kSameM;
}

map::MapPtr between(const SceneState& from, const SceneState& to, RenderCache& cache) {
  if (fromOnePlace(from, to)) return std::make_shared<map::Between>(from.view, to.view);
  return std::make_shared<set::SceneReprojection>(from.view, cache.scene(from), to.view, cache.scene(to));
}

/// The plate, fading out towards its edge.
std::shared_ptr<const Picture> faded(const RenderCache::FramePtr& plate, uint64_t key, double softPx,
                                     RenderCache& cache) {
  return cache.picture(value::Hasher().add("soft edge").add(key).add(softPx).key(), plate->bytes(), [&] {
    Picture p = plate->forReading();
    const Box& edge = p.data;
    parallelRanges(edge.y0, edge.y1, 32, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = edge.x0; x < edge.x1; ++x) {
          const double in = std::min({x + 0.5 - edge.x0, edge.x1 - x - 0.5, y + 0.5 - edge.y0, edge.y1 - y - 0.5});
          if (in >= softPx) continue;
          const double t = std::max(0.0, in / softPx), w = t * t * (3 - 2 * t);
          for (int c = 0; c < 4; ++c) p.pixel(x, y)[c] *= static_cast<float>(w);
        }
    });
    return p;
  });
}

}  // namespace

bool seesFromPlate(const SceneState& here) { return fromOnePlace(here, here.plateScene()); }

map::MapPtr toPlate(const SceneState& here, RenderCache& cache) {
  return here.asShot ? between(here, *here.asShot, cache) : nullptr;
}

map::MapPtr fromPlate(const SceneState& here, RenderCache& cache) {
  return here.asShot ? between(*here.asShot, here, cache) : nullptr;
}

map::MapPtr throughPlates(const SceneState& here, const map::MapPtr& onPlate, const SceneState& there,
                          RenderCache& cache) {
  auto chain = std::make_shared<map::Chain>();
  int links = 0;
  for (const auto& map : {toPlate(here, cache), onPlate, fromPlate(there, cache)})
    if (map) chain->add(map), ++links;
  if (!links) chain->add(std::make_shared<map::Homography>(Mat3::Identity()));
  return chain;
}

Box boxFromPlate(const Box& onPlate, const SceneState& here, RenderCache& cache) {
  const auto there = fromPlate(here, cache);
  if (!there) return intersect(onPlate, here.frameBox);
  if (onPlate.empty()) return {};
  if (here.around) return here.frameBox;
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  constexpr int kSteps = 24;
  for (int k = 0; k <= kSteps; ++k) {
    const double t = static_cast<double>(k) / kSteps, x = onPlate.x0 + t * onPlate.width(),
                 y = onPlate.y0 + t * onPlate.height();
    for (const Vec2& q : {Vec2(x, onPlate.y0), Vec2(x, onPlate.y1), Vec2(onPlate.x0, y), Vec2(onPlate.x1, y)}) {
      Vec2 at;
      if (!map::through(*there, q, at) || !at.allFinite()) return here.frameBox;
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
  }
  return clipTo(here.frameBox, lo, hi, 3 + 0.02 * (hi - lo).norm());
}

SceneState platePixelsOf(const SceneState& here, RenderCache& cache) {
  SceneState out = here.plateScene();
  const auto there = toPlate(here, cache);
  if (!there) return out;
  // What is drawn beyond the frame is looked at as far out as the frame is large.
  const Box frame = out.frameBox, most = {frame.x0 - frame.width(), frame.y0 - frame.height(), frame.x1 + frame.width(),
                                          frame.y1 + frame.height()};
  Box all = frame;
  constexpr int kSteps = 24;
  for (int k = 0; k <= kSteps; ++k) {
    const double t = static_cast<double>(k) / kSteps;
    const Box& box = here.frameBox;
    const double x = box.x0 + t * box.width(), y = box.y0 + t * box.height();
    for (const Vec2& q : {Vec2(x, box.y0), Vec2(x, box.y1), Vec2(box.x0, y), Vec2(box.x1, y)}) {
      Vec2 at;
      if (map::through(*there, q, at) && at.allFinite()) all = unite(all, clipTo(most, at, at, 2));
    }
  }
  out.frameBox = all;
  return out;
}

Picture sphereThrough(const view::OutputView& output, const Picture& plate, map::Filter filter, RenderCache& cache) {
  const Box& box = output.box;
  // By where a few of its pixels come from, which tell turns and flat views apart.
  value::Hasher h;
  h.add("places").add(box.x0).add(box.y0).add(box.x1).add(box.y1);
  for (const Vec2& at : {Vec2(0.1, 0.2), Vec2(0.9, 0.3), Vec2(0.5, 0.55), Vec2(0.2, 0.8), Vec2(0.7, 0.9)}) {
    Vec2 there;
    const bool found = output.toPlate({box.x0 + at.x() * box.width(), box.y0 + at.y() * box.height()}, there);
    h.add(found).add(found ? there : Vec2(Vec2::Zero()));
  }
  const auto places = cache.thing<map::Lattice>(
      h.key(), [&] { return map::Lattice::kept(map::Between(output.view, output.plate), box); });
  return map::resample(plate, *places, box, filter, image::Ends::Meet);
}

Picture plateLayer(const evaluate::FrameState& state, const Box& region, double softEdgePx, map::Filter filter,
                   RenderCache& cache) {
  if (!state.plate) throw Error("the shot has no plate", "Open one");
  const SceneState &here = *state.here, &shot = here.plateScene();
  const auto plate = cache.frame(*state.plate);
  std::shared_ptr<const Picture> under(plate, here.asShot || softEdgePx > 0 ? &plate->forReading() : &plate->picture);
  if (softEdgePx > 0) under = faded(plate, state.plate->key(), softEdgePx, cache);
  const bool itsOwn = !here.asShot || here.view == shot.view || here.view->key() == shot.view->key();
  if (itsOwn) {
    // A wider canvas goes on around it.
    const Box display = here.asShot ? here.frameBox : under->display;
    Picture out = Picture::unset(intersect(under->data, region), display, under->channels);
    parallelRanges(out.data.y0, out.data.y1, 32, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        std::copy(under->pixel(out.data.x0, y), under->pixel(out.data.x0, y) + 4 * out.data.width(),
                  out.pixel(out.data.x0, y));
    });
    if (out.data != region) return image::over(out, region);
    return out;
  }
  if (shot.around && fromOnePlace(here, shot))
    return image::over(sphereThrough(here.outputView(), *under, filter, cache), region);
  // Parts of a frame are what the whole of it would be: cells of the resampler's lattice begin at the same pixels.
  constexpr int kCells = 16;
  const auto down = [](int v) { return v - ((v % kCells) + kCells) % kCells; };
  const Box aligned{down(region.x0), down(region.y0), region.x1, region.y1};
  return image::over(map::resample(*under, *between(here, shot, cache), aligned, here.frameBox, filter), region);
}

}  // namespace zentil::comp
