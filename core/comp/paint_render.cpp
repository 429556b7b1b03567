#include "core/comp/paint_render.h"

#include <cmath>

#include "core/base/error.h"
#include "core/comp/fill_source.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using element::Paint;
using image::Picture;

const Paint& paintIn(const evaluate::Layer& layer) { return std::get<Paint>(layer.source); }

const evaluate::FileAt& fileOf(const evaluate::Layer& layer, const std::string& pattern) {
  for (const auto& f : layer.files)
    if (f.files.pattern == pattern) return f;
  throw Error("a picture that was painted elsewhere is gone", "Restore it, or remove it from the element");
}

/// What was painted elsewhere: where a picture that came back differs from the one that was sent. One of the shot's
/// size lies as the plate does; one as large as the straight picture is bent.
void layReturned(retouch::Canvas& canvas, const evaluate::Layer& layer, RenderCache& cache) {
  const Paint& source = paintIn(layer);
  if (source.sent.empty() || source.returned.empty()) return;
  const auto sent = cache.frame(fileOf(layer, source.sent));
  const auto back = cache.frame(fileOf(layer, source.returned));
  const Picture &a = sent->picture, &b = back->picture;
  if (a.display != b.display)
    throw Error(fmt::format("{} is {} x {} px, and was sent as {} x {}", source.returned, b.display.width(),
                            b.display.height(), a.display.width(), a.display.height()),
                "Save it in the size it was sent in");
  const Box box = intersect(a.data, b.data);
  Picture painted(box, b.display, 4);
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x) {
      const float *p = a.pixel(x, y), *q = b.pixel(x, y);
      float most = 0, level = 0;
      for (int c = 0; c < 3; ++c) most = std::max(most, std::abs(p[c] - q[c])), level = std::max(level, std::abs(p[c]));
      // Half floats keep eleven bits; what another program rounds is not paint.
      if (!(most > 0.0015f * level + 1e-6f)) continue;
      float* o = painted.pixel(x, y);
      std::copy_n(q, 3, o);
      o[3] = 1;
    }
  const Box frame = canvas.frame();
  if (b.display.width() != frame.width() || b.display.height() != frame.height()) {
    const Box straight = layer.below->straight();
    if (b.display.width() != straight.width() || b.display.height() != straight.height())
      throw Error(
          fmt::format("{} is {} x {} px; the shot is {} x {}, straight {} x {}", source.returned, b.display.width(),
                      b.display.height(), frame.width(), frame.height(), straight.width(), straight.height()),
          "Send the picture out again");
    const int dx = straight.x0 - b.display.x0, dy = straight.y0 - b.display.y0;
    painted.data = {box.x0 + dx, box.y0 + dy, box.x1 + dx, box.y1 + dy};
    painted = map::resample(painted, map::Undistort(layer.held->lens), frame, frame, map::Filter::Sharp);
  }
  for (int v = retouch::Canvas::tileOf(frame.y0); v <= retouch::Canvas::tileOf(frame.y1 - 1); ++v)
    for (int u = retouch::Canvas::tileOf(frame.x0); u <= retouch::Canvas::tileOf(frame.x1 - 1); ++u) {
      const Box tile = retouch::Canvas::boxOf({u, v}), part = intersect(tile, painted.data);
      bool any = false;
      for (int y = part.y0; y < part.y1 && !any; ++y)
        for (int x = part.x0; x < part.x1 && !any; ++x) any = painted.pixel(x, y)[3] > 0;
      if (!any) continue;
      auto out = std::make_shared<Picture>(tile, frame, 4);
      for (int y = part.y0; y < part.y1; ++y)
        std::copy_n(painted.pixel(part.x0, y), 4 * part.width(), out->pixel(part.x0, y));
      canvas.put({u, v}, std::move(out));
    }
}

/// An element's strokes on a frame, and canvases by how many of them they have.
class Painted {
 public:
  Painted(const evaluate::Layer& layer, RenderCache& cache) : layer_(layer), cache_(cache) {
    const Paint& source = paintIn(layer);
    value::Hasher h;
    h.add("canvas").add(layer.below ? layer.below->key : 0).add(layer.held->key).add(layer.sourcesKey);
    for (const auto& f : layer.files)
      if (f.files.pattern == source.sent || f.files.pattern == source.returned) h.add(f.key());
    keys_.push_back(h.key());
    for (const auto& s : source.strokes) {
      if (!s.shows(layer.frame) || s.penPath.points().empty()) continue;
      strokes_.push_back(&s);
      keys_.push_back(h.add(s.brush).add(s.penPath).key());
    }
  }
  uint64_t key() const { return keys_.back(); }
  std::shared_ptr<const retouch::Canvas> canvas() const { return canvas(strokes_.size()); }

 private:
  std::shared_ptr<const retouch::Canvas> canvas(size_t count) const {
    return cache_.thing<retouch::Canvas>(keys_[count], [&] {
      // From the longest beginning that is there.
      size_t have = count;
      while (have > 0 && (have == count || !cache_.has(keys_[have]))) --have;
      retouch::Canvas out = have > 0 ? *canvas(have) : bare();
      for (size_t i = have; i < count; ++i) {
        retouch::Stroking stroking(out, strokes_[i]->brush, elsewhereOf(strokes_[i]->brush, layer_, cache_));
        stroking.to(strokes_[i]->penPath.points());
        stroking.end();
      }
      return out;
    });
  }
  retouch::Canvas bare() const {
    retouch::Canvas out(layer_.held->frameBox, paintedOn(layer_, cache_));
    layReturned(out, layer_, cache_);
    return out;
  }

  const evaluate::Layer& layer_;
  RenderCache& cache_;
  std::vector<const element::Stroke*> strokes_;
  std::vector<uint64_t> keys_;  ///< of a canvas with so many strokes
};

}  // namespace

std::shared_ptr<const Picture> paintedOn(const evaluate::Layer& layer, RenderCache& cache) {
  if (!layer.below || !layer.below->plate) throw Error("the shot has no plate", "Open one");
  const auto& below = *layer.below;
  const auto plate = cache.frame(*below.plate);
  if (below.layers.empty()) return {plate, &plate->picture};
  return cache.picture(value::Hasher().add("below").add(below.key).key(), plate->bytes(),
                       [&] { return buildFrame(below, cache); });
}

retouch::Stroking::Elsewhere elsewhereOf(const element::Brush& brush, const evaluate::Layer& layer,
                                         RenderCache& cache) {
  if (brush.tool != element::BrushTool::Clone || !brush.otherFrame) return {};
  const auto needs = paintIn(layer).needsAt(layer.frame);
  const element::Needs::Read read{brush.fromPlate, {}, brush.fromFrame};
  const auto which = static_cast<size_t>(std::find(needs.reads.begin(), needs.reads.end(), read) - needs.reads.begin());
  if (which >= layer.sources.size())
    throw Error(fmt::format("frame {} is not among those that are painted from", brush.fromFrame),
                "Choose it for the brush again");
  Mat3 shift = Mat3::Identity();
  shift.topRightCorner<2, 1>() = brush.offset;
  const auto giving = std::make_shared<const Giving>(layer, which, cache);
  return [giving, to = std::make_shared<map::Homography>(shift)](const Box& box) {
    Sight sight = giving->over(to, box, map::Filter::Sharp);
    for (size_t i = 0; i < sight.seen.values.size(); ++i) {
      float* p = sight.colour.values.data() + 4 * i;
      p[3] = 1;
      if (!(sight.seen.values[i] > 0)) std::fill_n(p, 4, 0.0f);
    }
    return std::move(sight.colour);
  };
}

std::shared_ptr<const retouch::Canvas> canvasOf(const evaluate::Layer& layer, RenderCache& cache) {
  return Painted(layer, cache).canvas();
}

template <>
SourceResult SourceMaker<Paint>::make(const Paint&, const SourceContext& m) {
  const Painted painted(m.layer, m.cache);
  const auto picture = m.cache.lastingPicture(value::Hasher().add("paint").add(painted.key()).key(),
                                              [&] { return painted.canvas()->paint(); });
  SourceResult made{picture->empty() ? nullptr : picture, BySight{m.layer.held, 1}, {}, {}};
  made.grainLeft = 1;
  // What is painted is about as grainy as what it is painted on.
  if (m.layer.grain && m.layer.below)
    made.grainPerPixel = m.cache.lastingPicture(value::Hasher().add("grain below").add(m.layer.below->key).key(),
                                                [&] { return grainIn(*m.layer.below, m.cache); });
  return made;
}

template <>
void SourceFiles<Paint>::take(Paint&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("paint is made by hand", "Choose another kind of element");
}

}  // namespace zentil::comp
