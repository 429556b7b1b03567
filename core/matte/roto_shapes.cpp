#include "core/matte/roto_shapes.h"

#include <cmath>

#include "core/base/parallel.h"
#include "core/value/hash.h"
#include "core/value/value_blend.h"

namespace zentil::value {

/// Shapes change point by point; between keys with another count of points the earlier ones hold.
template <>
struct Numbers<matte::ShapePoints> {
  static constexpr bool kBlends = true;
  static std::vector<double> of(const matte::ShapePoints& points) {
    std::vector<double> out;
    out.reserve(points.size() * 7);
    for (const auto& p : points)
      out.insert(out.end(), {p.at.x(), p.at.y(), p.in.x(), p.in.y(), p.out.x(), p.out.y(), p.featherPx});
    return out;
  }

  static matte::ShapePoints from(const std::vector<double>& n, const matte::ShapePoints& like) {
    matte::ShapePoints out(like.size());
    for (size_t i = 0; i < out.size(); ++i) {
      const double* v = n.data() + i * 7;
      // "As the part says" is no softness that could be blended with one.
      out[i] = {{v[0], v[1]}, {v[2], v[3]}, {v[4], v[5]}, like[i].featherPx < 0 ? like[i].featherPx : v[6]};
    }
    return out;
  }
};
template class Keys<matte::ShapePoints>;

}  // namespace zentil::value

namespace zentil::matte {
namespace {

constexpr int kSteps = 16;

/// A flattened shape: corners, and the feather at each.
struct Outline {
  std::vector<Vec2> at;
  std::vector<double> feather;
};

Outline outlineOf(const ShapePoints& points, double overall, int steps) {
  Outline o;
  const size_t n = points.size();
  const auto featherOf = [&](const ShapePoint& p) { return std::max(0.0, p.featherPx < 0 ? overall : p.featherPx); };
  for (size_t i = 0; i < n; ++i) {
    const ShapePoint &a = points[i], &b = points[(i + 1) % n];
    const Vec2 p1 = a.at + a.out, p2 = b.at + b.in;
    for (int k = 0; k < steps; ++k) {
      const double t = static_cast<double>(k) / steps, u = 1 - t;
      o.at.push_back(u * u * u * a.at + 3 * u * u * t * p1 + 3 * u * t * t * p2 + t * t * t * b.at);
      o.feather.push_back(u * featherOf(a) + t * featherOf(b));
    }
  }
  return o;
}

/// Draws one shape into `out` (same data window as the result).
void drawShape(const Outline& o, double grow, image::Picture& out) {
  const Box box = out.data;
  const int w = box.width(), h = box.height();
  const size_t n = o.at.size();
  // Signed position of every pixel against the edge, in units of the feather there: inside counts below zero.
  std::vector<float> nearest(static_cast<size_t>(w) * h, 1e9f);
  std::vector<float> featherAt(nearest.size(), 0.0f);
  for (size_t i = 0; i < n; ++i) {
    const Vec2 a = o.at[i], b = o.at[(i + 1) % n];
    const double fa = o.feather[i], fb = o.feather[(i + 1) % n], reach = std::max({fa, fb, 0.5}) + std::abs(grow) + 1.5;
    const int x0 = std::max(box.x0, static_cast<int>(std::floor(std::min(a.x(), b.x()) - reach))),
              x1 = std::min(box.x1, static_cast<int>(std::ceil(std::max(a.x(), b.x()) + reach)) + 1);
    const int y0 = std::max(box.y0, static_cast<int>(std::floor(std::min(a.y(), b.y()) - reach))),
              y1 = std::min(box.y1, static_cast<int>(std::ceil(std::max(a.y(), b.y()) + reach)) + 1);
    const Vec2 d = b - a;
    const double dd = d.squaredNorm();
    for (int y = y0; y < y1; ++y)
      for (int x = x0; x < x1; ++x) {
        const Vec2 p(x + 0.5, y + 0.5);
        const double t = dd > 0 ? std::clamp((p - a).dot(d) / dd, 0.0, 1.0) : 0.0;
        const auto dist = static_cast<float>((p - a - t * d).norm());
        const size_t at = static_cast<size_t>(y - box.y0) * w + (x - box.x0);
        if (dist < nearest[at]) nearest[at] = dist, featherAt[at] = static_cast<float>(fa + t * (fb - fa));
      }
  }
  parallelRanges(0, h, 16, [&](int first, int last) {
    std::vector<double> cross;
    for (int j = first; j < last; ++j) {
      const double y = box.y0 + j + 0.5;
      cross.clear();
      for (size_t i = 0; i < n; ++i) {
        const Vec2 &a = o.at[i], &b = o.at[(i + 1) % n];
        if ((a.y() <= y) != (b.y() <= y)) cross.push_back(a.x() + (y - a.y()) / (b.y() - a.y()) * (b.x() - a.x()));
      }
      std::sort(cross.begin(), cross.end());
      size_t passed = 0;
      for (int i = 0; i < w; ++i) {
        while (passed < cross.size() && cross[passed] <= box.x0 + i + 0.5) ++passed;
        const size_t at = static_cast<size_t>(j) * w + i;
        // Outside counts above zero; growing moves the edge outwards.
        const float away = (passed & 1 ? -nearest[at] : nearest[at]) - static_cast<float>(grow), f = featherAt[at];
        const bool inside = away < 0;
        const float d = std::abs(away);
        float v;
        if (f < 1)
          v = std::clamp(0.5f + (inside ? d : -d), 0.0f, 1.0f);
        else if (inside)
          v = 1;
        else {
          const float t = std::clamp(1 - d / f, 0.0f, 1.0f);
          v = t * t * (3 - 2 * t);
        }
        out.values[at] = v;
      }
    }
  });
}

}  // namespace

RotoShapesNow constant(const RotoShapes& shapes, double softPx, double growPx) {
  RotoShapesNow out{{}, softPx, growPx};
  for (const auto& s : shapes.shapes) out.curves.push_back({s.points.constant(), s.adds});
  return out;
}

std::vector<Vec2> flatten(const ShapePoints& points, int steps) { return outlineOf(points, 0, steps).at; }

Box boundsOf(const RotoShapesNow& drawn) {
  Box all;
  const double grow = std::max(0.0, drawn.growPx);
  for (const auto& s : drawn.curves) {
    if (s.points.size() < 3) continue;
    const Outline o = outlineOf(s.points, drawn.softPx, kSteps);
    Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
    for (size_t i = 0; i < o.at.size(); ++i) {
      const Vec2 f = Vec2::Constant(o.feather[i] + grow + 1);
      lo = lo.cwiseMin(o.at[i] - f), hi = hi.cwiseMax(o.at[i] + f);
    }
    // A shape dragged far away must not ask for a picture of its size.
    lo = lo.cwiseMax(-20000).cwiseMin(40000), hi = hi.cwiseMax(-20000).cwiseMin(40000);
    all = unite(all, {static_cast<int>(std::floor(lo.x())), static_cast<int>(std::floor(lo.y())),
                      static_cast<int>(std::ceil(hi.x())), static_cast<int>(std::ceil(hi.y()))});
  }
  return all;
}

image::Picture rasterise(const RotoShapesNow& drawn, const Box& display) {
  Box box = boundsOf(drawn);
  // What reaches absurdly far is drawn about the frame alone: a picture of it would fill the memory.
  constexpr int64_t kMostPixels = 100000000;
  if (static_cast<int64_t>(box.width()) * box.height() > kMostPixels)
    box = intersect(box, {display.x0 - display.width(), display.y0 - display.height(), display.x1 + display.width(),
                          display.y1 + display.height()});
  image::Picture out(box, display, 1);
  image::Picture one(box, display, 1);
  for (const auto& s : drawn.curves) {
    if (s.points.size() < 3) continue;
    drawShape(outlineOf(s.points, drawn.softPx, kSteps), drawn.growPx, one);
    for (size_t i = 0; i < out.values.size(); ++i)
      out.values[i] = s.adds ? std::max(out.values[i], one.values[i]) : out.values[i] * (1 - one.values[i]);
  }
  return out;
}

uint64_t keyOf(const RotoShapesNow& drawn) {
  value::Hasher h;
  h.add(drawn.softPx).add(drawn.growPx).add(static_cast<uint64_t>(drawn.curves.size()));
  for (const auto& c : drawn.curves) h.add(c.points).add(c.adds);
  return h.key();
}

}  // namespace zentil::matte
