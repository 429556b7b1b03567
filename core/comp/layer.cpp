#include "core/comp/layer.h"

#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/cover.h"
#include "core/comp/finish.h"
#include "core/comp/motion.h"
#include "core/comp/of_plate.h"
#include "core/comp/plate_layer.h"
#include "core/image/crop.h"
#include "core/map/edges.h"

namespace zentil::comp {
SourceResult makeSource(const SourceContext& m) {
  return std::visit([&]<typename Kind>(const Kind& source) { return SourceMaker<Kind>::make(source, m); },
                    m.layer.source);
}

namespace {

using image::Picture;

void multiplyByMatte(Picture& layer, const Picture& matte, float opacity) {
  parallelRanges(layer.data.y0, layer.data.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      float* l = layer.pixel(layer.data.x0, y);
      const float* m = matte.pixel(layer.data.x0, y);
      for (int x = layer.data.x0; x < layer.data.x1; ++x, l += 4, ++m) {
        const float v = *m * opacity;
        for (int c = 0; c < 4; ++c) l[c] = v > 0 ? l[c] * v : 0;
      }
    }
  });
}

/// The same matte without the rows and columns about it that are zero.
Picture tight(Picture matte) {
  Box b{matte.data.x1, matte.data.y1, matte.data.x0, matte.data.y0};
  for (int y = matte.data.y0; y < matte.data.y1; ++y) {
    const float* row = matte.pixel(matte.data.x0, y);
    const int w = matte.data.width();
    int first = 0, last = w;
    while (first < w && row[first] == 0) ++first;
    if (first == w) continue;
    while (row[last - 1] == 0) --last;
    b = {std::min(b.x0, matte.data.x0 + first), std::min(b.y0, y), std::max(b.x1, matte.data.x0 + last), y + 1};
  }
  if (b.empty()) return {};
  if (b == matte.data) return matte;
  return image::over(matte, b);
}

Box placeReach(const SourceContext& m, const SourceResult& made) {
  return std::visit([&]<typename Kind>(const Kind& place) { return PlaceMaker<Kind>::reach(place, m, made); },
                    m.layer.place);
}
map::MapPtr placeMap(const SourceContext& m, const SourceResult& made) {
  return std::visit([&]<typename Kind>(const Kind& place) { return PlaceMaker<Kind>::map(place, m, made); },
                    m.layer.place);
}

/// A source's pixels over a region of the frame, at the making's time, resampled once.
Picture readAt(const SourceContext& m, const SourceResult& made, const Box& region, Picture* covered,
               const Picture* wanted) {
  if (made.read) return made.read(m, region, covered, wanted);
  const auto map = atTime(m, [&](const SourceContext& at) { return placeMap(at, made); });
  Picture there;
  Picture out = map::resample(*made.picture, *map, region, m.state.frameBox(), m.filter, &there, wanted);
  // What is no part of a plate is antialiased where it ends, or goes behind something.
  if (made.ends && out.channels == 4 && !std::holds_alternative<BySight>(made.address))
    map::softenEdges(out, there, *map, made.picture->data, wanted);
  if (covered) *covered = std::move(there);
  return out;
}

/// The same while the shutter is open.
Picture readOver(const SourceContext& m, const SourceResult& made, const Box& region, Picture* covered,
                 const Picture* wanted) {
  std::vector<double> times = {0};
  if (m.layer.look.shutter.constant() > 0)
    times = timesOf(m, region, [&](const SourceContext& at) {
      return made.read ? followMap(at.layer.place, at.here(), *at.layer.held, Sees::All, at.cache) : placeMap(at, made);
    });
  if (times.size() == 1) return readAt(m, made, region, covered, wanted);
  Picture sum(region, m.state.frameBox(), 4), count(region, m.state.frameBox(), 1);
  for (const double t : times) {
    SourceContext at = m;
    at.time = t;
    Picture there;
    const Picture one = readAt(at, made, region, &there, wanted);
    for (size_t i = 0; i < count.values.size(); ++i) {
      if (!(there.values[i] > 0)) continue;
      for (size_t c = 0; c < 4; ++c) sum.values[4 * i + c] += one.values[4 * i + c];
      count.values[i] += 1;
    }
  }
  const auto all = static_cast<float>(times.size());
  if (covered) *covered = Picture(region, m.state.frameBox(), 1);
  for (size_t i = 0; i < count.values.size(); ++i) {
    if (!(count.values[i] > 0)) continue;
    const float n = made.ends ? all : count.values[i];
    for (size_t c = 0; c < 4; ++c) sum.values[4 * i + c] /= n;
    if (covered) covered->values[i] = 1;
  }
  return sum;
}

/// A layer as it was made, and how it is laid.
struct Laid {
  Picture picture;
  element::Merge merge;
  double grainLeft = 0;
  Picture grainPerPixel{};  ///< over the picture; empty: `grainLeft` all over

  float grainLeftAt(size_t pixel) const {
    return grainPerPixel.empty() ? static_cast<float>(grainLeft) : grainPerPixel.values[pixel];
  }
};

/// A layer's source over a region of the frame, finished and let through its cover. `grow`: by how much more than its
/// matte is read, for stages that look around.
void layOver(const SourceContext& making, const SourceResult& made, const Box& region, int grow, Laid& out) {
  const evaluate::Layer& layer = making.layer;
  // Without a cover there is nothing to draw: the whole region is let through.
  const bool covered = !layer.cover.empty();
  FinishLayer one{making, {}};
  Box box = region;
  if (covered) {
    one.matte = tight(coverOver(layer.cover, making.here(), region, making.cache));
    if (one.matte.empty()) return;
    box = intersect(one.matte.data.grown(grow), region);
    if (grow > 0) one.matte = image::over(one.matte, box);
  }
  one.picture = readOver(making, made, box, nullptr, covered && grow == 0 ? &one.matte : nullptr);
  if (made.after) made.after(one.picture);
  one.grainLeft = made.grainLeft;
  if (made.grainPerPixel)
    one.grainPerPixel =
        map::resample(*made.grainPerPixel, *placeMap(making, made), box, making.state.frameBox(), map::Filter::Draft);
  finish(one);
  const auto opacity = static_cast<float>(layer.look.opacity.constant());
  if (made.through)
    made.through(one.picture, covered ? &one.matte : nullptr, opacity);
  else if (covered)
    multiplyByMatte(one.picture, one.matte, opacity);
  else if (opacity != 1)
    for (float& v : one.picture.values) v *= opacity;
  out.picture = std::move(one.picture), out.grainPerPixel = std::move(one.grainPerPixel);
  out.grainLeft = one.grainLeft;
}

/// `within`: the part of the frame that is asked for.
Laid lay(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache, map::Filter filter,
         const Box& within) {
  const int pad = finishPadding(layer.look);
  // Stages that look around a pixel see beyond the frame's edge, too.
  const evaluate::FrameState padded =
      pad > 0 ? evaluate::seenFrom(state, state.here->view, state.frameBox().grown(pad)) : evaluate::FrameState();
  const evaluate::FrameState& all = pad > 0 ? padded : state;
  const SourceContext making{all, layer, cache, filter};
  Laid out{{}, layer.look.merge};
  const SourceResult made = makeSource(making);
  out.merge = made.merge.value_or(layer.look.merge);
  if (!made.shows()) return out;
  const Box reach = intersect(placeReach(making, made), coverBox(layer.cover, making.here(), cache));
  const Box region = intersect(intersect(within.grown(pad), reach.empty() ? reach : reach.grown(pad)), all.frameBox());
  if (region.empty()) return out;
  layOver(making, made, region, pad, out);
  if (pad == 0 || out.picture.empty()) return out;
  // What was made beyond what is asked for has done its part.
  const Box asked = intersect(intersect(out.picture.data, within), state.frameBox());
  out.picture = image::over(out.picture, asked);
  out.picture.display = state.frameBox();
  if (!out.grainPerPixel.empty()) out.grainPerPixel = image::over(out.grainPerPixel, asked);
  return out;
}

/// The same; nothing for one that cannot be made, where `failed` takes what is wrong.
Laid layUnlessItFails(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache,
                      map::Filter filter, const Box& within, std::vector<std::string>* failed) {
  try {
    return lay(state, layer, cache, filter, within);
  } catch (const Error& error) {
    if (!failed) throw;
    failed->push_back(error.what());
    return {{}, layer.look.merge};
  }
}

}  // namespace

map::MapPtr followMap(const element::Place& place, const evaluate::SceneState& here, const evaluate::SceneState& other,
                      Sees sees, RenderCache& cache) {
  return std::visit([&]<typename Kind>(const Kind& p) { return PlaceMaker<Kind>::ride(p, here, other, sees, cache); },
                    place);
}

evaluate::SceneStatePtr elsewhereOn(const element::Place& place, const evaluate::SceneStatePtr& stage,
                                    const Vec2& byM) {
  if (byM.isZero()) return stage;
  return std::visit([&]<typename Kind>(const Kind& p) { return PlaceMaker<Kind>::elsewhere(p, stage, byM); }, place);
}

void noElsewhere() {
  throw Error("only on a surface can something be taken from elsewhere", "Make the shift 0, or place it on a surface");
}

void nothingCarries() {
  throw Error("nothing carries it from frame to frame", "Place it on a surface or on a region that was followed");
}

Picture buildLayer(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache,
                   map::Filter filter) {
  return lay(state, layer, cache, filter, state.frameBox()).picture;
}

Around lookAround(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache, int margin) {
  const SourceContext making{state, layer, cache, map::Filter::Sharp};
  const SourceResult made = makeSource(making);
  Around out;
  if (!made.shows()) return out;
  const Box region = intersect(placeReach(making, made), coverBox(layer.cover, making.here(), cache).grown(margin));
  if (region.empty()) return out;
  out.cover =
      layer.cover.empty() ? Picture(region, state.frameBox(), 1) : coverOver(layer.cover, making.here(), region, cache);
  out.grainLeft = made.grainLeft;
  out.source = readOver(making, made, region, &out.seen, nullptr);
  if (made.after) made.after(out.source);
  match(out.source, layer.look);
  return out;
}

bool isOfPlate(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache) {
  const SourceResult made = makeSource({state, layer, cache, map::Filter::Draft});
  return made.shows() && std::holds_alternative<BySight>(made.address);
}

Box reachOf(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache) {
  const SourceContext making{state, layer, cache, map::Filter::Draft};
  const SourceResult made = makeSource(making);
  if (!made.shows()) return {};
  return intersect(placeReach(making, made), coverBox(layer.cover, making.here(), cache));
}

Picture buildFrame(const evaluate::FrameState& state, RenderCache& cache, const BuildOptions& options) {
  if (!state.plate) throw Error("the shot has no plate", "Open one");
  // A plate may end inside the frame, or go on beyond it.
  const Box plate = state.here->asShot ? state.frameBox() : cache.frame(*state.plate)->picture.data;
  const Box within = options.region.empty() ? unite(plate, state.frameBox()) : options.region;
  Picture out =
      plateLayer(state, options.region.empty() ? plate : options.region, options.softEdgePx, options.filter, cache);
  if (!options.elements) return out;
  for (const auto& layer : state.layers) {
    if (!options.only.empty() && layer.id != options.only) continue;
    checkStopped();
    if (options.progress) options.progress(out, static_cast<size_t>(&layer - state.layers.data()));
    const Laid laid = layUnlessItFails(state, layer, cache, options.filter, within, options.failed);
    if (laid.picture.empty()) continue;
    const Box reach = intersect(laid.picture.data, within);
    if (!reach.empty() && unite(out.data, reach) != out.data) out = image::over(out, unite(out.data, reach));
    element::merge(laid.picture, laid.merge, out);
  }
  return out;
}

Picture grainIn(const evaluate::FrameState& state, RenderCache& cache) {
  const Box frame = state.frameBox();
  Picture out(frame, frame, 1, 1.0f);
  for (const auto& layer : state.layers) {
    const Laid laid = lay(state, layer, cache, map::Filter::Draft, frame);
    if (laid.merge != element::Merge::Over) continue;
    const Box& box = laid.picture.data;
    const Box both = intersect(box, frame);
    for (int y = both.y0; y < both.y1; ++y)
      for (int x = both.x0; x < both.x1; ++x) {
        const auto i =
            static_cast<size_t>(y - box.y0) * static_cast<size_t>(box.width()) + static_cast<size_t>(x - box.x0);
        const float alpha = laid.picture.values[4 * i + 3];
        float& v = *out.pixel(x, y);
        v += alpha * (laid.grainLeftAt(i) - v);
      }
  }
  return out;
}

Picture buildAdded(const evaluate::FrameState& state, RenderCache& cache, map::Filter filter,
                   std::vector<std::string>* failed) {
  Picture out(state.frameBox(), state.frameBox(), 4);
  for (const auto& layer : state.layers)
    element::merge(layUnlessItFails(state, layer, cache, filter, state.frameBox(), failed).picture,
                   element::Merge::Over, out);
  return out;
}

}  // namespace zentil::comp
