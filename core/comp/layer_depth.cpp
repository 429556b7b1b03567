#include "core/comp/layer_depth.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/sight.h"
#include "core/set/form.h"

namespace zentil::comp {
namespace {

using evaluate::SceneState;
using image::Picture;

/// Where what a pixel shows stands in the world, or the way to it where that is far away.
struct Stand {
  Vec3 world = Vec3::Zero(), way = Vec3::Zero();
};

/// What carries a layer, and tells where each of its pixels stands and goes.
class Carrier {
 public:
  virtual ~Carrier() = default;
  virtual bool standAt(const Vec2& pixel, Stand& out) const = 0;
  virtual bool isFar() const { return false; }
  /// Whether it knows where its pixels go.
  virtual bool moves() const { return true; }
  /// Where a pixel is on the next frame.
  virtual bool follow(const Vec2& pixel, const SceneState& next, Vec2& then) const = 0;
};

class Far : public Carrier {
 public:
  explicit Far(const SceneState& here) : here_(here) {}
  bool standAt(const Vec2& pixel, Stand& out) const override { return here_.view->unproject(pixel, out.way); }
  bool isFar() const override { return true; }
  bool follow(const Vec2& pixel, const SceneState& next, Vec2& then) const override {
    Stand at;
    bool lands = standAt(pixel, at);
    if (!lands) return false;
    at.way *= view::kFarAway / at.way.norm();
    next.view->project(&at.way, 1, &then, &lands);
    return lands;
  }

 private:
  const SceneState& here_;
};

class OnFace : public Carrier {
 public:
  OnFace(const SceneState& here, const evaluate::Layer& layer, RenderCache& cache)
      : here_(here), id_(surfaceOf(layer.place)), scene_(cache.scene(here)), surface_(scene_->indexOf(id_)) {
    if (surface_ < 0)
      throw Error(fmt::format("\"{}\" is {}: it has no depth", layer.name, whereOf(layer.place)),
                  "Place it on a surface or far behind");
    scene_->prepare(surface_, false);
  }
  /// Where the ray through a pixel meets the surface.
  bool standAt(const Vec2& pixel, Stand& out) const override {
    if (!here_.view->unproject(pixel, out.way)) return false;
    const Vec3 from = here_.view->positionAt(pixel);
    const set::Surface& s = own();
    if (set::formOf(s.kind).isFlat()) {
      // In double precision, as pictures on it are made.
      const double along = s.normal().dot(out.way), t = s.normal().dot(s.position - from) / along;
      if (std::abs(along) < 1e-12 || t <= 0) return false;
      out.world = from + t * out.way;
      return true;
    }
    const auto hit = scene_->first(from, out.way.normalized(), surface_);
    if (hit.surface < 0) return false;
    out.world = from + hit.distance * out.way.normalized();
    return true;
  }
  bool follow(const Vec2& pixel, const SceneState& next, Vec2& then) const override {
    const set::Surface* other = next.surface(id_);
    Stand at;
    if (!other || !standAt(pixel, at)) return false;
    // A point goes with its surface.
    const Vec3 grown = set::formOf(own().kind).isFlat() ? Vec3(1, 1, 1) : Vec3(other->size.cwiseQuotient(own().size));
    return next.view->see(other->toWorld(own().toOwn(at.world).cwiseProduct(grown)), then);
  }

 private:
  const set::Surface& own() const { return scene_->surfaces()[static_cast<size_t>(surface_)]; }

  const SceneState& here_;
  std::string id_;
  set::RayScenePtr scene_;
  int surface_;
};

/// A render through the plate's camera: by what was rendered beside its colour.
class Rendered : public Carrier {
 public:
  Rendered(const SceneState& here, const ByStraightPixel& address, image::Passes passes)
      : here_(here), address_(address), passes_(std::move(passes)) {}
  bool standAt(const Vec2& pixel, Stand& out) const override {
    Vec2 straight, render;
    if (!inRender(pixel, straight, render)) return false;
    const double depth = depthAt(render);
    if (!(depth > 0) || !std::isfinite(depth)) return false;
    const camera::Camera& camera = here_.plateScene().camera;
    out.world = camera.position + depth * camera.towards(straight);
    return true;
  }
  bool moves() const override { return !passes_.forward.empty(); }
  bool follow(const Vec2& pixel, const SceneState& next, Vec2& then) const override {
    Vec2 straight, render;
    if (!inRender(pixel, straight, render)) return false;
    float by[2];
    if (!readFlow(render, by)) return false;
    const Vec2 there =
        (address_.toSourceOn(next).inverse() * (render + Vec2(by[0], by[1])).homogeneous()).hnormalized();
    const Vec3 way = next.plateScene().camera.towards(there);
    bool lands = false;
    next.view->project(&way, 1, &then, &lands);
    return lands;
  }

 private:
  /// Where a pixel of the view is in the render.
  bool inRender(const Vec2& pixel, Vec2& straight, Vec2& render) const {
    Vec3 way;
    const camera::Camera& camera = here_.plateScene().camera;
    if (!here_.view->unproject(pixel, way) || !camera.project(camera.position + way, straight)) return false;
    render = (address_.toSource * straight.homogeneous()).hnormalized();
    return true;
  }
  /// Between four pixels of one thing, evenly in 1/depth, as a plane's is; where they differ, the nearest one's.
  double depthAt(const Vec2& render) const {
    const Picture& p = passes_.depth;
    const Vec2 at = render - Vec2(0.5, 0.5);
    const int x = static_cast<int>(std::floor(at.x())), y = static_cast<int>(std::floor(at.y()));
    const double u = at.x() - x, v = at.y() - y;
    const auto value = [&](int i, int j) { return p.data.contains(i, j) ? double{*p.pixel(i, j)} : 0.0; };
    const double corners[] = {value(x, y), value(x + 1, y), value(x, y + 1), value(x + 1, y + 1)};
    const auto [lo, hi] = std::minmax_element(std::begin(corners), std::end(corners));
    // A tenth is a slope that no renderer's pixel resolves: two things.
    constexpr double kOneThing = 1.1;
    if (!(*lo > 0) || !std::isfinite(*hi) || *hi > *lo * kOneThing)
      return value(static_cast<int>(std::floor(render.x())), static_cast<int>(std::floor(render.y())));
    return 1 / ((1 - v) * ((1 - u) / corners[0] + u / corners[1]) + v * ((1 - u) / corners[2] + u / corners[3]));
  }
  bool readFlow(const Vec2& render, float (&by)[2]) const {
    const Picture& p = passes_.forward;
    const int x = static_cast<int>(std::floor(render.x())), y = static_cast<int>(std::floor(render.y()));
    if (!p.data.contains(x, y)) return false;
    const float* v = p.pixel(x, y);
    by[0] = v[0], by[1] = v[1];
    return std::isfinite(by[0]) && std::isfinite(by[1]);
  }

  const SceneState& here_;
  ByStraightPixel address_;
  image::Passes passes_;
};

std::unique_ptr<const Carrier> carrierOf(const evaluate::FrameState& state, const evaluate::Layer& layer,
                                         RenderCache& cache) {
  const SceneState& here = *state.here;
  requireCamera(here);
  if (isAtInfinity(layer.place)) return std::make_unique<Far>(here);
  if (!surfaceOf(layer.place).empty()) return std::make_unique<OnFace>(here, layer, cache);
  const SourceResult made = makeSource({state, layer, cache, map::Filter::Draft});
  const auto* straight = std::get_if<ByStraightPixel>(&made.address);
  if (!straight)
    throw Error(fmt::format("\"{}\" is {}: it has no depth", layer.name, whereOf(layer.place)),
                "Place it on a surface or far behind");
  image::Passes passes = straight->passes ? straight->passes() : image::Passes{};
  if (passes.depth.empty())
    throw Error(fmt::format("\"{}\" was rendered without a depth pass", layer.name), "Render it with channel Z");
  return std::make_unique<Rendered>(here, *straight, std::move(passes));
}

/// Calls run(pixel, index) for every pixel of a layer that shows.
template <typename Run>
void eachShown(const Picture& colour, const Run& run) {
  parallelRanges(colour.data.y0, colour.data.y1, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = colour.data.x0; x < colour.data.x1; ++x)
        if (colour.pixel(x, y)[3] > 0) run(x, y);
  });
}

}  // namespace

Picture layerDepth(const evaluate::FrameState& state, const evaluate::Layer& layer, const Picture& colour,
                   RenderCache& cache) {
  const SceneState& here = *state.here;
  const auto carrier = carrierOf(state, layer, cache);
  const auto* pinhole = here.view->pinhole();
  Picture out(colour.data, colour.display, 1);
  eachShown(colour, [&](int x, int y) {
    const Vec2 pixel(x + 0.5, y + 0.5);
    Stand at;
    if (carrier->isFar())
      *out.pixel(x, y) = std::numeric_limits<float>::infinity();
    else if (carrier->standAt(pixel, at))
      *out.pixel(x, y) =
          static_cast<float>(pinhole ? pinhole->depthOf(at.world) : (at.world - here.view->positionAt(pixel)).norm());
  });
  return out;
}

Picture layerMotion(const evaluate::FrameState& state, const evaluate::Layer& layer, const Picture& colour,
                    const SceneState& next, RenderCache& cache) {
  const auto carrier = carrierOf(state, layer, cache);
  requireCamera(next);
  if (!carrier->moves()) return {};
  Picture out(colour.data, colour.display, 4);
  eachShown(colour, [&](int x, int y) {
    const Vec2 pixel(x + 0.5, y + 0.5);
    Vec2 at;
    if (!carrier->follow(pixel, next, at) || !at.allFinite()) return;
    float* p = out.pixel(x, y);
    p[0] = static_cast<float>(at.x() - pixel.x()), p[1] = static_cast<float>(at.y() - pixel.y()), p[3] = 1;
  });
  return out;
}

}  // namespace zentil::comp
