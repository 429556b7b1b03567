#include "core/lens/snap.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::lens {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kAcross = 0.25, kAlong = 2;  // px between samples
constexpr double kWeakest = 0.002;            // a slope over one pixel that is none, in linear light
constexpr double kBeside = 0.6;               // px that a place may lie beside the curve and still count as on it

/// Brightness between pixels; Rec. 709 weights (ITU-R BT.709, luma), in linear light: that is what a pixel is the mean
/// of.
double brightness(const image::Picture& p, const Vec2& at) {
  const double fx = std::clamp(at.x() - 0.5, static_cast<double>(p.data.x0), p.data.x1 - 1.001),
               fy = std::clamp(at.y() - 0.5, static_cast<double>(p.data.y0), p.data.y1 - 1.001);
  const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
  const auto one = [&](int i, int j) {
    const float* v = p.pixel(std::min(i, p.data.x1 - 1), std::min(j, p.data.y1 - 1));
    return static_cast<double>(0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2]);
  };
  const double u = fx - ix, v = fy - iy;
  return (one(ix, iy) * (1 - u) + one(ix + 1, iy) * u) * (1 - v) +
         (one(ix, iy + 1) * (1 - u) + one(ix + 1, iy + 1) * u) * v;
}

/// A smooth curve beside the chord from a line's first point to its last: its distance is a polynomial of the way.
struct Curve {
  Vec2 from, way, across;
  double length = 0;
  VectorXd c;

  double tOf(const Vec2& p) const { return 2 * (p - from).dot(way) / length - 1; }
  double besideOf(const Vec2& p) const { return (p - from).dot(across); }
  double beside(double t) const {
    double sum = 0;
    for (long k = c.size(); k-- > 0;) sum = sum * t + c[k];
    return sum;
  }
  Vec2 at(double t, double off = 0) const { return from + way * ((t + 1) * length / 2) + across * (beside(t) + off); }

  /// Least squares with Huber's weights; `widthPx` is where they begin to count less.
  void fit(const std::vector<double>& t, const std::vector<double>& d, const std::vector<double>& weight, int degree,
           double widthPx) {
    const auto n = static_cast<long>(t.size());
    c = VectorXd::Zero(degree + 1);
    MatrixXd a(n, degree + 1);
    for (long i = 0; i < n; ++i)
      for (long k = 0; k <= degree; ++k) a(i, k) = std::pow(t[static_cast<size_t>(i)], k);
    VectorXd b = Eigen::Map<const VectorXd>(d.data(), n), w = Eigen::Map<const VectorXd>(weight.data(), n);
    const VectorXd given = w;
    for (int round = 0; round < 6; ++round) {
      MatrixXd m = a.transpose() * w.asDiagonal() * a;
      m.diagonal().array() += 1e-9 * m.trace() + 1e-12;
      c = solveSymmetric(m, a.transpose() * w.asDiagonal() * b);
      const VectorXd r = b - a * c;
      for (long i = 0; i < n; ++i) w[i] = given[i] * std::min(1.0, widthPx / std::max(1e-9, std::abs(r[i])));
    }
  }
};

/// The slope across a curve, at places along it: rows along, columns across.
struct Band {
  std::vector<double> t;
  std::vector<std::vector<double>> slope;
  int half = 0;
  double off(double k) const { return (k - half) * kAcross; }
};

Band bandOf(const image::Picture& picture, const Curve& curve, double reach) {
  Band out;
  const int count = std::max(8, static_cast<int>(curve.length / kAlong));
  out.half = static_cast<int>(std::ceil(reach / kAcross));
  const int wide = 2 * out.half + 1;
  std::vector<std::vector<double>> light(static_cast<size_t>(count));
  for (int i = 0; i < count; ++i) {
    const double t = 2 * (i + 0.5) / count - 1;
    out.t.push_back(t);
    // A pixel's width to each side for the slope.
    for (int k = -2; k < wide + 2; ++k)
      light[static_cast<size_t>(i)].push_back(brightness(picture, curve.at(t, out.off(k))));
  }
  // Averaged along the curve: what goes along it stays.
  for (int i = 0; i < count; ++i) {
    std::vector<double> row(static_cast<size_t>(wide), 0.0);
    int n = 0;
    for (int j = std::max(0, i - 2); j <= std::min(count - 1, i + 2); ++j, ++n)
      for (int k = 0; k < wide; ++k) {
        const auto& l = light[static_cast<size_t>(j)];
        row[static_cast<size_t>(k)] += l[static_cast<size_t>(k) + 4] - l[static_cast<size_t>(k)];
      }
    for (double& v : row) v /= n;
    out.slope.push_back(std::move(row));
  }
  return out;
}

/// One edge through a band: where it runs, how strong it is and how much of the way it is seen.
struct Edge {
  Curve curve;  ///< through the picture
  std::vector<double> t, off, weight;
  double strength = 0, seen = 0, offPx = 0, clear = 0;
};

/// The strongest way of one polarity through the band, and the curve along it.
Edge edgeIn(const Band& band, const Curve& about, double sign, double reach) {
  const size_t n = band.t.size(), wide = band.slope[0].size();
  // Very strong slopes, of things that cross the line, count no more than the usual ones.
  std::vector<double> tops;
  for (const auto& row : band.slope) {
    double top = 0;
    for (const double v : row) top = std::max(top, sign * v);
    tops.push_back(top);
  }
  const double most = std::max(kWeakest, 1.5 * medianOf(tops));
  const auto worth = [&](size_t i, size_t k) {
    const double near = 1 - 0.4 * std::abs(band.off(static_cast<double>(k))) / (reach + 1e-9);
    return std::clamp(sign * band.slope[i][k], 0.0, most) / most * near;
  };
  constexpr double kTurns = 0.15;
  std::vector<std::vector<double>> sum(n, std::vector<double>(wide));
  std::vector<std::vector<int>> by(n, std::vector<int>(wide, 0));
  for (size_t k = 0; k < wide; ++k) sum[0][k] = worth(0, k);
  for (size_t i = 1; i < n; ++i)
    for (size_t k = 0; k < wide; ++k) {
      double best = -1e9;
      for (int s = -1; s <= 1; ++s) {
        const long from = static_cast<long>(k) + s;
        if (from < 0 || from >= static_cast<long>(wide)) continue;
        const double v = sum[i - 1][static_cast<size_t>(from)] - kTurns * std::abs(s);
        if (v > best) best = v, by[i][k] = s;
      }
      sum[i][k] = best + worth(i, k);
    }
  Edge out;
  out.curve = about;
  size_t k = static_cast<size_t>(std::max_element(sum[n - 1].begin(), sum[n - 1].end()) - sum[n - 1].begin());
  std::vector<size_t> way(n);
  for (size_t i = n; i-- > 0;) {
    way[i] = k;
    if (i) k = static_cast<size_t>(static_cast<long>(k) + by[i][k]);
  }
  std::vector<double> beside;
  for (size_t i = 0; i < n; ++i) {
    // The middle of the slope's hill, a pixel to each side.
    double at = 0, weight = 0;
    for (size_t j = way[i] >= 4 ? way[i] - 4 : 0; j <= std::min(wide - 1, way[i] + 4); ++j) {
      const double w = std::pow(std::max(0.0, sign * band.slope[i][j]), 2);
      at += w * static_cast<double>(j), weight += w;
    }
    const double top = sign * band.slope[i][way[i]];
    if (top < kWeakest || weight <= 0) continue;
    out.t.push_back(band.t[i]);
    beside.push_back(about.beside(band.t[i]) + band.off(at / weight));
    out.weight.push_back(std::min(top, most));
  }
  if (out.t.size() < 6) return out;
  out.curve.fit(out.t, beside, out.weight, 4, 0.3);
  double on = 0, squares = 0;
  for (size_t i = 0; i < out.t.size(); ++i) {
    const double off = beside[i] - out.curve.beside(out.t[i]);
    out.off.push_back(off);
    if (std::abs(off) < kBeside) ++on, squares += off * off, out.strength += out.weight[i];
  }
  // Along the smooth curve, against all slopes of the band: texture has ways through it, too, but none that goes on.
  double along = 0, all = 0;
  for (size_t i = 0; i < n; ++i) {
    const double k = (out.curve.beside(band.t[i]) - about.beside(band.t[i])) / kAcross + band.half;
    const long at = std::lround(k);
    if (at >= 0 && at < static_cast<long>(wide)) along += sign * band.slope[i][static_cast<size_t>(at)];
    for (const double v : band.slope[i]) all += v * v;
  }
  out.clear = along / static_cast<double>(n) / std::sqrt(all / static_cast<double>(n * wide) + 1e-12);
  out.seen = on / static_cast<double>(n);
  out.strength /= static_cast<double>(n);
  out.offPx = on > 0 ? std::sqrt(squares / on) : 0;
  return out;
}

/// How far one edge lies beside another, in the mean; and how much that changes.
std::pair<double, double> apart(const Curve& a, const Curve& b) {
  std::vector<double> d;
  for (double t = -0.95; t < 1; t += 0.1) d.push_back(a.beside(t) - b.beside(t));
  double mean = 0, spread = 0;
  for (const double v : d) mean += v / static_cast<double>(d.size());
  for (const double v : d) spread += (v - mean) * (v - mean) / static_cast<double>(d.size());
  return {mean, std::sqrt(spread)};
}

}  // namespace

Snapped snapLine(const image::Picture& picture, const std::vector<Vec2>& points, double reach, bool evenly) {
  Snapped out;
  out.points = points;
  if (points.size() < 2 || picture.empty()) return out;
  Curve drawn;
  drawn.from = points.front();
  drawn.length = (points.back() - points.front()).norm();
  if (!(drawn.length > 12)) return out;
  drawn.way = (points.back() - points.front()) / drawn.length;
  drawn.across = Vec2(-drawn.way.y(), drawn.way.x());
  std::vector<double> t, d;
  for (const Vec2& p : points) t.push_back(drawn.tOf(p)), d.push_back(drawn.besideOf(p));
  drawn.fit(t, d, std::vector<double>(t.size(), 1.0), std::min<int>(2, static_cast<int>(points.size()) - 1), 1e9);
  // Each polarity through a wide band, then again close to what was found.
  Edge edges[2];
  double clear[2];
  for (int k = 0; k < 2; ++k) {
    const double sign = k ? -1 : 1;
    edges[k] = edgeIn(bandOf(picture, drawn, reach), drawn, sign, reach);
    clear[k] = edges[k].clear;
    for (int round = 0; round < 2 && edges[k].seen > 0; ++round)
      edges[k] = edgeIn(bandOf(picture, edges[k].curve, 1.5), edges[k].curve, sign, 1e6);
  }
  const auto [gap, spread] = apart(edges[0].curve, edges[1].curve);
  const double weaker = std::min(edges[0].strength, edges[1].strength),
               stronger = std::max(edges[0].strength, edges[1].strength);
  constexpr double kLeastSeen = 0.4, kThinnest = 0.7, kThickest = 8;
  out.thin = std::min(edges[0].seen, edges[1].seen) > kLeastSeen && weaker > 0.5 * stronger &&
             std::abs(gap) > kThinnest && std::abs(gap) < std::min(kThickest, 1.6 * reach) &&
             spread < 0.1 * std::abs(gap) + 0.25;
  const auto value = [&](const Edge& e) {
    const double away = std::abs(apart(e.curve, drawn).first);
    return e.strength * (1 - 0.4 * std::min(1.0, away / reach));
  };
  const Edge& one = value(edges[0]) >= value(edges[1]) ? edges[0] : edges[1];
  out.seen = out.thin ? std::min(edges[0].seen, edges[1].seen) : one.seen;
  out.clear = out.thin ? std::min(clear[0], clear[1]) : &one == &edges[0] ? clear[0] : clear[1];
  out.offPx = out.thin ? std::max(edges[0].offPx, edges[1].offPx) : one.offPx;
  // On the demo's boards and frames real edges are seen along 0.52 or more and clear by 1.2; what texture has, 0.5 and
  // 0.9 at the most.
  out.found = out.seen > 0.5 && (out.clear > 1 || out.seen > 0.65);
  if (!out.found) return out;
  // Where single places lie beside the curve, averaged nearby: what the smooth curve cannot follow.
  const auto locally = [&](const Edge& e, double at, double withinPx) {
    double sum = 0, weight = 0;
    for (size_t i = 0; i < e.t.size(); ++i) {
      const double away = std::abs(e.t[i] - at) * e.curve.length / 2;
      if (away > withinPx || std::abs(e.off[i]) > kBeside) continue;
      sum += e.weight[i] * e.off[i], weight += e.weight[i];
    }
    return std::pair(weight > 0 ? sum / weight : 0, weight > 0);
  };
  const double within = evenly ? 12 : 8;
  const auto place = [&](double at) -> std::pair<Vec2, bool> {
    if (!out.thin) {
      const auto [off, there] = locally(one, at, within);
      return {one.curve.at(at, off), there};
    }
    const auto a = locally(edges[0], at, within), b = locally(edges[1], at, within);
    const Vec2 middle = (edges[0].curve.at(at, a.first) + edges[1].curve.at(at, b.first)) / 2;
    return {middle, a.second && b.second};
  };
  if (!evenly) {
    for (Vec2& p : out.points) p = place(drawn.tOf(p)).first;
    return out;
  }
  constexpr double kApart = 25;
  const int count = std::max(static_cast<int>(points.size()), static_cast<int>(drawn.length / kApart) + 1);
  std::vector<Vec2> even;
  for (int i = 0; i < count; ++i)
    if (const auto [p, there] = place(-0.98 + 1.96 * i / (count - 1)); there) even.push_back(p);
  if (even.size() >= 3)
    out.points = std::move(even);
  else
    for (Vec2& p : out.points) p = place(drawn.tOf(p)).first;
  return out;
}

}  // namespace zentil::lens
