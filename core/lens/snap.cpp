#include "core/lens/snap.h"

#include <cmath>

namespace zentil::lens {
namespace {

/// Brightness between pixels; Rec. 709 weights (ITU-R BT.709, luma).
double brightness(const image::Picture& p, double x, double y) {
  const double fx = std::clamp(x - 0.5, static_cast<double>(p.data.x0), p.data.x1 - 1.001),
               fy = std::clamp(y - 0.5, static_cast<double>(p.data.y0), p.data.y1 - 1.001);
  const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
  const auto at = [&](int i, int j) {
    const float* v = p.pixel(std::min(i, p.data.x1 - 1), std::min(j, p.data.y1 - 1));
    // In linear light: that is what a pixel is the mean of.
    return static_cast<double>(0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2]);
  };
  const double u = fx - ix, v = fy - iy;
  return (at(ix, iy) * (1 - u) + at(ix + 1, iy) * u) * (1 - v) +
         (at(ix, iy + 1) * (1 - u) + at(ix + 1, iy + 1) * u) * v;
}

}  // namespace

namespace {
std::vector<Vec2> snapOnce(const image::Picture& picture, const std::vector<Vec2>& points, double reach) {
  constexpr double kStep = 0.25, kAlong = 6;
  std::vector<Vec2> out = points;
  if (points.size() < 2 || picture.empty()) return out;
  const int n = static_cast<int>(std::ceil(reach / kStep));
  for (size_t i = 0; i < points.size(); ++i) {
    const Vec2 way = (points[std::min(i + 1, points.size() - 1)] - points[i == 0 ? 0 : i - 1]).normalized();
    if (!way.allFinite()) continue;
    const Vec2 across(-way.y(), way.x());
    std::vector<double> profile;
    for (int k = -n - 2; k <= n + 2; ++k) {
      double sum = 0;
      for (double t = -kAlong; t <= kAlong; t += 1) {
        const Vec2 q = points[i] + across * (k * kStep) + way * t;
        sum += brightness(picture, q.x(), q.y());
      }
      profile.push_back(sum / (2 * kAlong + 1));
    }
    // Slopes over a pixel, each half a step on from the other.
    const auto slope = [&](int k) {
      const auto* p = profile.data() + k + n;
      return std::abs(p[4] - p[0]);
    };
    int best = 0;
    double most = 0;
    for (int k = -n; k <= n; ++k) {
      // Of two edges alike the nearer one is meant.
      const double weight = slope(k) * (1 - 0.5 * std::abs(k) / (n + 1.0));
      if (weight > most) most = weight, best = k;
    }
    if (most < 0.004 || std::abs(best) >= n) continue;
    // The middle of the slope's hill, a pixel to each side.
    double sum = 0, weight = 0;
    for (int k = std::max(-n, best - 4); k <= std::min(n, best + 4); ++k) {
      const double w = slope(k) * slope(k);
      sum += w * k, weight += w;
    }
    const double fine = sum / weight - best;
    out[i] = points[i] + across * ((best + fine) * kStep);
  }
  return out;
}

}  // namespace

std::vector<Vec2> snapToEdges(const image::Picture& picture, const std::vector<Vec2>& points, double reach) {
  // Drawn points tell the edge's direction roughly; those that have snapped tell it well.
  return snapOnce(picture, snapOnce(picture, snapOnce(picture, points, reach), 2), 1);
}

}  // namespace zentil::lens
