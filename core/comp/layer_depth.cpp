#include "core/comp/layer_depth.h"

#include <cmath>
#include <limits>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/sight.h"
#include "core/set/form.h"

namespace zentil::comp {
namespace {

using evaluate::SceneState;
using image::Picture;

/// What carries a layer: a surface of the scene, or what is far away.
struct Carrier {
  set::RayScenePtr scene;
  int surface = -1;  ///< -1: far away

  Carrier(const SceneState& here, const evaluate::Layer& layer, RenderCache& cache) {
    requireCamera(here);
    if (isAtInfinity(layer.place)) return;
    scene = cache.scene(here);
    surface = scene->indexOf(surfaceOf(layer.place));
    if (surface < 0)
      throw Error(fmt::format("\"{}\" is {}: it has no depth", layer.name, whereOf(layer.place)),
                  "Place it on a surface or far behind");
    scene->prepare(surface, false);
  }
  bool isFar() const { return surface < 0; }
};

/// Where the ray through a pixel meets a surface, in the world.
bool meets(const SceneState& here, const Carrier& carrier, const Vec2& pixel, Vec3& world, Vec3& way) {
  if (!here.view->unproject(pixel, way)) return false;
  if (carrier.isFar()) return true;
  const Vec3 from = here.view->positionAt(pixel);
  const set::Surface& s = carrier.scene->surfaces()[static_cast<size_t>(carrier.surface)];
  if (set::formOf(s.kind).isFlat()) {
    // In double precision, as pictures on it are made.
    const double along = s.normal().dot(way), t = s.normal().dot(s.position - from) / along;
    if (std::abs(along) < 1e-12 || t <= 0) return false;
    world = from + t * way;
    return true;
  }
  const auto hit = carrier.scene->first(from, way.normalized(), carrier.surface);
  if (hit.surface < 0) return false;
  world = from + hit.distance * way.normalized();
  return true;
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
  const Carrier carrier(here, layer, cache);
  const auto* pinhole = here.view->pinhole();
  Picture out(colour.data, colour.display, 1);
  eachShown(colour, [&](int x, int y) {
    const Vec2 pixel(x + 0.5, y + 0.5);
    Vec3 world, way;
    if (carrier.isFar())
      *out.pixel(x, y) = std::numeric_limits<float>::infinity();
    else if (meets(here, carrier, pixel, world, way))
      *out.pixel(x, y) =
          static_cast<float>(pinhole ? pinhole->depthOf(world) : (world - here.view->positionAt(pixel)).norm());
  });
  return out;
}

Picture layerMotion(const evaluate::FrameState& state, const evaluate::Layer& layer, const Picture& colour,
                    const SceneState& next, RenderCache& cache) {
  const SceneState& here = *state.here;
  const Carrier carrier(here, layer, cache);
  requireCamera(next);
  const set::Surface* then = carrier.isFar() ? nullptr : next.surface(surfaceOf(layer.place));
  if (!carrier.isFar() && !then) throw Error("the surface is gone on the next frame", "Choose another");
  Picture out(colour.data, colour.display, 4);
  eachShown(colour, [&](int x, int y) {
    const Vec2 pixel(x + 0.5, y + 0.5);
    Vec3 world, way;
    Vec2 at;
    bool lands = meets(here, carrier, pixel, world, way);
    if (!lands) return;
    if (carrier.isFar()) {
      way *= view::kFarAway / way.norm();
      next.view->project(&way, 1, &at, &lands);
    } else {
      // A point goes with its surface.
      const set::Surface& now = carrier.scene->surfaces()[static_cast<size_t>(carrier.surface)];
      const Vec3 grown = set::formOf(now.kind).isFlat() ? Vec3(1, 1, 1) : Vec3(then->size.cwiseQuotient(now.size));
      lands = next.view->see(then->toWorld(now.toOwn(world).cwiseProduct(grown)), at);
    }
    if (!lands || !at.allFinite()) return;
    float* p = out.pixel(x, y);
    p[0] = static_cast<float>(at.x() - pixel.x()), p[1] = static_cast<float>(at.y() - pixel.y()), p[3] = 1;
  });
  return out;
}

}  // namespace zentil::comp
