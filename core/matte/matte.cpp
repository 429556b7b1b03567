#include "core/matte/matte.h"

#include <cmath>

#include "core/base/parallel.h"

namespace zentil::matte {
namespace {

constexpr int kSteps = 16;

/// A flattened shape: corners, and the feather at each.
struct Outline {
  std::vector<Vec2> at;
  std::vector<double> feather;
};

Outline outlineOf(const Shape& s, double overall, int steps) {
  Outline o;
  const size_t n = s.points.size();
  const auto featherOf = [&](const ShapePoint& p) { return std::max(0.0, p.featherPx < 0 ? overall : p.featherPx); };
  for (size_t i = 0; i < n; ++i) {
    const ShapePoint &a = s.points[i], &b = s.points[(i + 1) % n];
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
void drawShape(const Outline& o, image::Picture& out) {
  const Box box = out.data;
  const int w = box.width(), h = box.height();
  const size_t n = o.at.size();
  // Signed position of every pixel against the edge, in units of the feather there: inside counts below zero.
  std::vector<float> nearest(static_cast<size_t>(w) * h, 1e9f);
  std::vector<float> featherAt(nearest.size(), 0.0f);
  for (size_t i = 0; i < n; ++i) {
    const Vec2 a = o.at[i], b = o.at[(i + 1) % n];
    const double fa = o.feather[i], fb = o.feather[(i + 1) % n], reach = std::max({fa, fb, 0.5}) + 1.5;
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
        const bool inside = passed & 1;
        const size_t at = static_cast<size_t>(j) * w + i;
        const float d = nearest[at], f = featherAt[at];
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

std::vector<Vec2> flatten(const Shape& shape, int steps) { return outlineOf(shape, 0, steps).at; }

Box boundsOf(const Matte& matte) {
  Box all;
  for (const Shape& s : matte.shapes) {
    if (s.points.size() < 3) continue;
    const Outline o = outlineOf(s, matte.featherPx, kSteps);
    Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
    for (size_t i = 0; i < o.at.size(); ++i) {
      const Vec2 f(o.feather[i] + 1, o.feather[i] + 1);
      lo = lo.cwiseMin(o.at[i] - f), hi = hi.cwiseMax(o.at[i] + f);
    }
    // A shape dragged far away must not ask for a picture of its size.
    lo = lo.cwiseMax(-20000).cwiseMin(40000), hi = hi.cwiseMax(-20000).cwiseMin(40000);
    all = unite(all, {static_cast<int>(std::floor(lo.x())), static_cast<int>(std::floor(lo.y())),
                      static_cast<int>(std::ceil(hi.x())), static_cast<int>(std::ceil(hi.y()))});
  }
  return all;
}

image::Picture rasterise(const Matte& matte, const Box& display) {
  const Box box = boundsOf(matte);
  image::Picture out(box, display, 1);
  image::Picture one(box, display, 1);
  for (const Shape& s : matte.shapes) {
    if (s.points.size() < 3) continue;
    drawShape(outlineOf(s, matte.featherPx, kSteps), one);
    for (size_t i = 0; i < out.values.size(); ++i)
      out.values[i] = s.adds ? std::max(out.values[i], one.values[i]) : out.values[i] * (1 - one.values[i]);
  }
  return out;
}

}  // namespace zentil::matte
