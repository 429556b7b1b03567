#include "core/build/build.h"

#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/build/cg.h"
#include "core/build/straight.h"
#include "core/set/surface_map.h"
#include "core/shot/trackers.h"

namespace zentil::build {
namespace {

using image::Picture;
using shot::Shot;

int surfaceIndex(const set::RayScene& scene, const element::Element& e) {
  const int i = scene.indexOf(e.surface);
  if (i < 0) throw Error(fmt::format("\"{}\" has no surface to land on", e.name), "Choose a surface for it");
  return i;
}

/// The surface a matte rides: its own, or the element's.
const std::string& ridden(const element::Element& e, const matte::Matte& m) {
  return m.surface.empty() ? e.surface : m.surface;
}

Box clipToFrame(const Shot& shot, const Vec2& lo, const Vec2& hi, double slack) {
  // Both ends are brought near the frame first: far away they would not fit a whole number.
  const auto whole = [](double v) { return static_cast<int>(std::floor(std::clamp(v, -1e6, 1e6))); };
  return intersect(shot.frameBox(), {whole(lo.x() - slack), whole(lo.y() - slack), whole(hi.x() + slack) + 1,
                                     whole(hi.y() + slack) + 1});
}

/// Box on the plate at `frame` around world lines; the whole frame when some of it is behind the camera.
Box boxAround(const Shot& shot, const std::vector<std::pair<Vec3, Vec3>>& lines, int frame) {
  const auto camera = shot.cameraAt(frame);
  const auto lens = shot.lensAt(frame);
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const auto& [a, b] : lines)
    for (int k = 0; k <= 8; ++k) {
      Vec2 s, p;
      if (!camera.project(a + (b - a) * (k / 8.0), s) || !lens.plateFromStraight(s, p)) return shot.frameBox();
      lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
    }
  return clipToFrame(shot, lo, hi, 4 + 0.01 * (hi - lo).norm());
}

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
  Picture out = Picture::unset(b, matte.display, 1);
  for (int y = b.y0; y < b.y1; ++y) std::copy_n(matte.pixel(b.x0, y), b.width(), out.pixel(b.x0, y));
  return out;
}

void applyMatch(Picture& layer, const element::Element& e) {
  if (e.gain == std::array{1.0, 1.0, 1.0} && e.offset == std::array{0.0, 0.0, 0.0}) return;
  float g[3], o[3];
  for (size_t c = 0; c < 3; ++c) g[c] = static_cast<float>(e.gain[c]), o[c] = static_cast<float>(e.offset[c]);
  for (size_t i = 0; i < layer.values.size(); i += 4)
    for (int c = 0; c < 3; ++c) layer.values[i + c] = layer.values[i + c] * g[c] + o[c] * layer.values[i + 3];
}

Picture checkerLayer(const Shot& shot, const element::Element& e, int frame, const Picture& matte, Workshop& workshop,
                     map::Filter filter) {
  const auto scene = workshop.scene(shot);
  const int index = surfaceIndex(*scene, e);
  const set::Surface& s = scene->surfaces()[static_cast<size_t>(index)];
  const bool round = s.kind == set::SurfaceKind::Cylinder || s.kind == set::SurfaceKind::Sphere;
  const double w = round ? M_PI * s.size.x() : s.size.x(),
               h = s.kind == set::SurfaceKind::Sphere ? M_PI * s.size.x() / 2 : s.size.y();
  const auto board = workshop.checker(w, h, e.squareM, e.lines);
  map::Chain chain;
  chain.add(std::make_shared<map::Straighten>(shot.lensAt(frame)));
  chain.add(std::make_shared<set::Unwrapped>(shot.cameraAt(frame), scene, index, board->display.width(),
                                             board->display.height()));
  return map::resample(*board, chain, matte.data, shot.frameBox(), filter, nullptr, &matte);
}

}  // namespace

map::MapPtr plateToPlate(const Shot& shot, const std::string& surfaceId, int frame, int other, bool needsSight,
                         Workshop& workshop) {
  const auto scene = workshop.scene(shot);
  const int index = scene->indexOf(surfaceId);
  if (index < 0) throw Error("the surface is gone", "Choose another");
  auto chain = std::make_shared<map::Chain>();
  const bool bent = !shot.lens.isStraight();
  if (bent) chain->add(std::make_shared<map::Straighten>(shot.lensAt(frame)));
  chain->add(std::make_shared<set::SeenBy>(shot.cameraAt(frame), scene, index, shot.cameraAt(other), needsSight));
  if (bent) chain->add(std::make_shared<map::Bend>(shot.lensAt(other)));
  return chain;
}

map::MapPtr carrying(const Shot& shot, const std::string& surfaceId, int from, int to, Workshop& workshop) {
  const set::Surface* found = shot.surface(surfaceId);
  if (!found || !shot.hasCamera(from) || !shot.hasCamera(to)) return nullptr;
  set::Surface surface = *found;
  if (surface.kind == set::SurfaceKind::Plane) surface.size *= 1000;
  const auto scene = workshop.sceneOf(surface);
  auto chain = std::make_shared<map::Chain>();
  chain->add(std::make_shared<map::Straighten>(shot.lensAt(from)));
  chain->add(std::make_shared<set::SeenBy>(shot.cameraAt(from), scene, 0, shot.cameraAt(to), false));
  chain->add(std::make_shared<map::Bend>(shot.lensAt(to)));
  return chain;
}

map::MapPtr carrying(const Shot& shot, const element::Element* e, const matte::Matte& m, int from, int to,
                     Workshop& workshop) {
  if (m.rides == matte::Rides::Screen) return nullptr;
  if (m.rides == matte::Rides::Surface)
    return carrying(shot, m.surface.empty() && e ? e->surface : m.surface, from, to, workshop);
  const auto* r = shot::regionOf(shot, m.region);
  if (!r || !r->has(from) || !r->has(to)) return nullptr;
  return std::make_shared<map::Homography>(r->motion.at(to) * r->motion.at(from).inverse());
}

namespace {
map::MapPtr ridingMap(const Shot& shot, const element::Element& e, const matte::Matte& m, int frame,
                      Workshop& workshop) {
  auto riding = carrying(shot, &e, m, frame, m.frame, workshop);
  if (!riding)
    throw Error(fmt::format("matte \"{}\" cannot ride from frame {} to {}: what it rides, or a camera, is missing",
                            m.name, m.frame, frame),
                "Choose something else to ride, or follow the region to there");
  return riding;
}
}  // namespace

Box reachOf(const Shot& shot, const element::Element& e, int frame, Workshop& workshop) {
  const auto scene = workshop.scene(shot);
  const set::Surface& s = scene->surfaces()[static_cast<size_t>(surfaceIndex(*scene, e))];
  Box reach = boxAround(shot, outlineOf(s), frame);
  const matte::Matte* m = shot.matte(e.matte);
  if (!m || m->inverted || m->shapes.empty()) return reach;
  const Box drawn = matte::boundsOf(*m);
  if (m->rides == matte::Rides::Screen) return intersect(reach, drawn);
  const set::Surface* under = shot.surface(ridden(e, *m));
  const bool onRegion = m->rides == matte::Rides::Region;
  if (!onRegion && (!under || under->kind != set::SurfaceKind::Plane)) return reach;
  // On a plane the border of the drawn area stays the border.
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  constexpr int kSteps = 12;
  const auto toHere = carrying(shot, &e, *m, m->frame, frame, workshop);
  if (!toHere) return reach;
  for (int k = 0; k <= kSteps; ++k) {
    const double t = static_cast<double>(k) / kSteps, x = drawn.x0 + t * drawn.width(),
                 y = drawn.y0 + t * drawn.height();
    for (const Vec2& p : {Vec2(x, drawn.y0), Vec2(x, drawn.y1), Vec2(drawn.x0, y), Vec2(drawn.x1, y)}) {
      Vec2 q;
      if (!map::through(*toHere, p, q)) return reach;
      lo = lo.cwiseMin(q), hi = hi.cwiseMax(q);
    }
  }
  return intersect(reach, clipToFrame(shot, lo, hi, 3 + 0.01 * (hi - lo).norm()));
}

Picture matteAt(const Shot& shot, const element::Element& e, int frame, const Box& region, Workshop& workshop) {
  const matte::Matte* m = shot.matte(e.matte);
  if (!m) {
    if (!e.matte.empty()) throw Error(fmt::format("\"{}\" names a matte that is gone", e.name), "Choose another");
    return {region, shot.frameBox(), 1, 1.0f};
  }
  Picture out(region, shot.frameBox(), 1);
  if (!m->shapes.empty()) {
    const auto drawn = workshop.drawnMatte(*m, shot.frameBox());
    if (m->rides == matte::Rides::Screen || m->frame == frame) {
      const Box common = intersect(drawn->data, region);
      for (int y = common.y0; y < common.y1; ++y)
        std::copy_n(drawn->pixel(common.x0, y), common.width(), out.pixel(common.x0, y));
    } else if (!drawn->empty()) {
      out =
          map::resample(*drawn, *ridingMap(shot, e, *m, frame, workshop), region, shot.frameBox(), map::Filter::Draft);
    }
  }
  if (!m->pictures.empty()) {
    const auto picture = workshop.frame(m->pictures, frame);
    const int channel = picture->hasAlpha ? 3 : 0;
    const Box common = intersect(picture->picture.data, region);
    for (int y = common.y0; y < common.y1; ++y)
      for (int x = common.x0; x < common.x1; ++x)
        *out.pixel(x, y) =
            std::max(*out.pixel(x, y), std::clamp(picture->forReading().pixel(x, y)[channel], 0.0f, 1.0f));
  }
  if (m->inverted)
    for (float& v : out.values) v = 1 - v;
  return out;
}

Picture buildLayer(const Shot& shot, const element::Element& e, int frame, Workshop& workshop, map::Filter filter) {
  if (!e.shows(frame)) return {};
  if (e.kind == element::Kind::Cg) {
    Picture layer = cgLayer(shot, e, frame, workshop, filter);
    if (layer.empty()) return layer;
    applyMatch(layer, e);
    if (!e.matte.empty() || e.opacity != 1)
      multiplyByMatte(layer, matteAt(shot, e, frame, layer.data, workshop), static_cast<float>(e.opacity));
    return layer;
  }
  const Box region = reachOf(shot, e, frame, workshop);
  if (region.empty()) return {};
  Picture layer;
  const Picture matte = tight(matteAt(shot, e, frame, region, workshop));
  if (matte.empty()) return {};
  if (e.kind == element::Kind::Checker) {
    layer = checkerLayer(shot, e, frame, matte, workshop, filter);
  } else {
    const auto source = sourceOf(shot, e, workshop);
    layer = map::resample(source->forReading(), *plateToPlate(shot, e.surface, frame, e.sourceFrame, true, workshop),
                          matte.data, shot.frameBox(), filter, nullptr, &matte);
    applyMatch(layer, e);
  }
  multiplyByMatte(layer, matte, static_cast<float>(e.opacity));
  return layer;
}

Picture buildFrame(const Shot& shot, int frame, Workshop& workshop, const BuildOptions& options) {
  if (shot.plate.empty()) throw Error("the shot has no plate", "Open one");
  const auto plate = workshop.frame(shot.plate, frame);
  const Picture& under = plate->picture;
  Picture out = Picture::unset(under.data, under.display, under.channels);
  parallelRanges(under.data.y0, under.data.y1, 32, [&](int first, int last) {
    std::copy(under.pixel(under.data.x0, first), under.pixel(under.data.x0, last), out.pixel(under.data.x0, first));
  });
  if (!options.elements) return out;
  for (const auto& e : shot.elements) {
    if (!e.shows(frame) || (!options.only.empty() && e.id != options.only)) continue;
    element::merge(buildLayer(shot, e, frame, workshop, options.filter),
                   e.kind == element::Kind::Cg && e.shadow ? element::Merge::Multiply : e.merge, out);
  }
  return out;
}

}  // namespace zentil::build
