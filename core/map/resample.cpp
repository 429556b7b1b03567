#include "core/map/resample.h"

#include <cassert>
#include <cmath>
#include <cstring>

#include "core/base/parallel.h"
#include "core/map/lattice.h"
#include "core/map/reader.h"

namespace zentil::map {
namespace {

using image::Picture;

constexpr double kReduceAbove = 1.3;

template <int kChannels>
class Resampler {
 public:
  Resampler(const Picture& source, image::Ends ends, Filter filter, Picture& out, Picture* covered)
      : reader_(source, ends), filter_(filter), out_(out), covered_(covered) {}

  void cell(const Lattice& lattice, int i, int j, bool wanted) {
    const Cell c = wanted ? lattice.cell(i, j) : Cell{.nowhere = true};
    const Box& r = out_.data;
    const int x0 = r.x0 + i * kCell, y0 = r.y0 + j * kCell;
    const Box at{x0, y0, std::min(x0 + kCell, r.x1), std::min(y0 + kCell, r.y1)};
    if (!c.nowhere && (c.exact || c.curved || !leavesSource(lattice, i, j))) {
      PlacesInCell places;
      lattice.places(i, j, c, reader_.origin(), places);
      if (!places.whole || at.width() < kCell || (c.exact && !evenly(places, c)) || !rows(places, c, at))
        pixels(places, c, at);
      return;
    }
    for (int y = at.y0; y < at.y1; ++y) std::fill_n(out_.pixel(x0, y), at.width() * kChannels, 0.0f);
  }

 private:
  using Pixel = typename Reader<kChannels>::Pixel;

  static bool reduces(float x, float y) { return x > kReduceAbove || y > kReduceAbove; }

  /// Whether all of a cell reduces, or none of it does, and all by as many readings, as its corners have it: else it is
  /// read pixel by pixel.
  static bool evenly(const PlacesInCell& p, const Cell& c) {
    constexpr int kLast = kCell - 1;
    const auto apart = [&](int u0, int v0, int u1, int v1) {
      return std::hypot(p.x[v1][u1] - p.x[v0][u0], p.y[v1][u1] - p.y[v0][u0]) / static_cast<float>(kLast);
    };
    const auto alike = [](float a, float b) {
      return (a > kReduceAbove) == (b > kReduceAbove) && readingsAlong(a) == readingsAlong(b);
    };
    return alike(apart(0, 0, kLast, 0), c.reduceX) && alike(apart(0, kLast, kLast, kLast), c.reduceX) &&
           alike(apart(0, 0, 0, kLast), c.reduceY) && alike(apart(kLast, 0, kLast, kLast), c.reduceY);
  }

  /// The common cases, kept tight: whole rows of a cell of one piece all of whose taps lie inside the source. False
  /// when it is not one of them.
  bool rows(const PlacesInCell& places, const Cell& c, const Box& at) {
    const bool reduced = reduces(c.reduceX, c.reduceY);
    if (kChannels == 1 && !reduced && filter_ != Filter::Draft) return false;
    const auto &x = places.x, &y = places.y;
    Eight left = x[0], right = x[0], top = y[0], low = y[0];
    for (int k = 1; k < kCell; ++k) {
      left = x[k] < left ? x[k] : left, right = x[k] > right ? x[k] : right;
      top = y[k] < top ? y[k] : top, low = y[k] > low ? y[k] : low;
    }
    Vec2 lo(left[0], top[0]), hi(right[0], low[0]);
    for (int k = 1; k < kCell; ++k) lo = lo.cwiseMin(Vec2(left[k], top[k])), hi = hi.cwiseMax(Vec2(right[k], low[k]));
    if (reduced) return reducedRows(x, y, lo, hi, c, at);
    const bool linear = filter_ == Filter::Draft;
    if (!(linear                     ? reader_.linearInside(lo, hi)
          : filter_ == Filter::Sharp ? reader_.cubicInside(lo, hi)
                                     : reader_.lanczosInside(lo, hi)))
      return false;
    for (int k = 0; k < at.height(); ++k) {
      float* out = out_.pixel(at.x0, at.y0 + k);
      if constexpr (kChannels == 1)
        reader_.linearRow(x[k], y[k], out);
      else if (linear)
        reader_.linearRowOfFour(x[k], y[k], out);
      else if (filter_ == Filter::Sharp)
        reader_.cubicRow(x[k], y[k], out);
      else
        reader_.lanczosRow(x[k], y[k], out);
      cover(at, k);
    }
    return true;
  }

  /// The same where the map reduces: the mean of bilinear readings spread evenly over each pixel's footprint.
  bool reducedRows(const Eight (&x)[kCell], const Eight (&y)[kCell], const Vec2& lo, const Vec2& hi, const Cell& c,
                   const Box& at) {
    const int n = readingsAlong(c.reduceX), m = readingsAlong(c.reduceY);
    const double reach = 0.75 * (c.reduceX + c.reduceY);  // half of each, and half as much again where they are longer
    if (!reader_.linearInside(lo.array() - reach, hi.array() + reach)) return false;
    const float part = 1.0f / static_cast<float>(n * m);
    for (int k = 0; k < at.height(); ++k) {
      const Eight acrossX = alongRow(x[k]), acrossY = alongRow(y[k]);
      const int before = std::max(k - 1, 0), after = std::min(k + 1, kCell - 1);
      const float half = 1.0f / static_cast<float>(after - before);
      const Eight downX = (x[after] - x[before]) * half, downY = (y[after] - y[before]) * half;
      alignas(32) float sum[kCell * kChannels] = {}, one[kCell * kChannels];
      for (int v = 0; v < m; ++v)
        for (int u = 0; u < n; ++u) {
          const float a = (static_cast<float>(u) + 0.5f) / static_cast<float>(n) - 0.5f,
                      b = (static_cast<float>(v) + 0.5f) / static_cast<float>(m) - 0.5f;
          const Eight px = x[k] + acrossX * a + downX * b, py = y[k] + acrossY * a + downY * b;
          if constexpr (kChannels == 1)
            reader_.linearRow(px, py, one);
          else
            reader_.linearRowOfFour(px, py, one);
          for (int q = 0; q < kCell * kChannels; ++q) sum[q] += one[q];
        }
      float* out = out_.pixel(at.x0, at.y0 + k);
      for (int q = 0; q < kCell * kChannels; ++q) out[q] = sum[q] * part;
      cover(at, k);
    }
    return true;
  }

  void cover(const Box& at, int row) {
    if (covered_) std::fill_n(covered_->pixel(at.x0, at.y0 + row), at.width(), 1.0f);
  }

  /// How fast a number changes along a row.
  static Eight alongRow(const Eight& x) {
    constexpr Eight kHalf = {1, 0.5f, 0.5f, 0.5f, 0.5f, 0.5f, 0.5f, 1};
    return (__builtin_shufflevector(x, x, 1, 2, 3, 4, 5, 6, 7, 7) -
            __builtin_shufflevector(x, x, 0, 0, 1, 2, 3, 4, 5, 6)) *
           kHalf;
  }
  static int readingsAlong(float reduce) { return std::clamp(static_cast<int>(std::ceil(reduce)), 1, 32); }

  /// Pixel by pixel, whatever a cell is like.
  void pixels(const PlacesInCell& places, const Cell& c, const Box& at) {
    for (int v = 0; v < at.height(); ++v)
      for (int u = 0; u < at.width(); ++u) {
        const int x = at.x0 + u, y = at.y0 + v;
        const auto where = [&](int i, int j) { return Vec2(places.x[j][i], places.y[j][i]); };
        const int branch = places.branch[v][u];
        const Vec2 here = where(u, v);
        if (branch == kInvalid || !reader_.holds(places.x[v][u], places.y[v][u])) {
          std::fill_n(out_.pixel(x, y), kChannels, 0.0f);
          continue;
        }
        if (covered_) *covered_->pixel(x, y) = 1;
        // The footprint comes from the neighbours in the cell, where they are of the same piece.
        const auto same = [&](int i, int j) { return places.branch[j][i] == branch; };
        const int left = u > 0 && same(u - 1, v) ? u - 1 : u, right = u + 1 < kCell && same(u + 1, v) ? u + 1 : u,
                  above = v > 0 && same(u, v - 1) ? v - 1 : v, below = v + 1 < kCell && same(u, v + 1) ? v + 1 : v;
        const Vec2 across =
                       right > left ? Vec2((where(right, v) - where(left, v)) / (right - left)) : Vec2(c.reduceX, 0),
                   down =
                       below > above ? Vec2((where(u, below) - where(u, above)) / (below - above)) : Vec2(0, c.reduceY);
        const auto reduceX = static_cast<float>(across.norm()), reduceY = static_cast<float>(down.norm());
        store(x, y,
              reduces(reduceX, reduceY) ? reduced(here, across, down, reduceX, reduceY)
                                        : read(places.x[v][u], places.y[v][u]));
      }
  }

  /// True when a whole straight cell comes from beside the source picture.
  bool leavesSource(const Lattice& lattice, int i, int j) const {
    Vec2 at[4];
    lattice.corners(i, j, at);
    const Vec2 lo = at[0].cwiseMin(at[1]).cwiseMin(at[2].cwiseMin(at[3])),
               hi = at[0].cwiseMax(at[1]).cwiseMax(at[2].cwiseMax(at[3]));
    return !reader_.meets(lo - reader_.origin(), hi - reader_.origin());
  }

  Pixel read(float x, float y) const {
    switch (filter_) {
      case Filter::Sharp:
        return reader_.template taps<4>(x, y, CubicWeights());
      case Filter::Sharper:
        return reader_.template taps<6>(x, y, LanczosWeights());
      case Filter::Draft:
        break;
    }
    return reader_.linear(x, y);
  }

  Pixel reduced(const Vec2& at, const Vec2& across, const Vec2& down, float reduceX, float reduceY) const {
    const int n = readingsAlong(reduceX), m = readingsAlong(reduceY);
    Pixel sum{};
    const Vec2 acrossBy = across / n, downBy = down / m, first = at - (across - acrossBy) / 2 - (down - downBy) / 2;
    for (int v = 0; v < m; ++v)
      for (int u = 0; u < n; ++u) {
        const Vec2 p = first + downBy * v + acrossBy * u;
        sum += reader_.linear(static_cast<float>(p.x()), static_cast<float>(p.y()));
      }
    return sum * (1.0f / static_cast<float>(n * m));
  }

  void store(int x, int y, const Pixel& v) {
    if constexpr (kChannels == 1)
      *out_.pixel(x, y) = v;
    else
      std::memcpy(out_.pixel(x, y), &v, sizeof v);
  }

  Reader<kChannels> reader_;
  Filter filter_;
  Picture& out_;
  Picture* covered_;
};

template <int kChannels>
void run(const Picture& source, image::Ends ends, const Lattice& lattice, Filter filter, Picture& out, Picture* covered,
         const WantedCells* asked) {
  parallelRanges(0, lattice.cellRows(), 1, [&](int first, int last) {
    Resampler<kChannels> r(source, ends, filter, out, covered);
    for (int j = first; j < last; ++j)
      for (int i = 0; i < lattice.cellColumns(); ++i) r.cell(lattice, i, j, !asked || asked->cell(i, j));
  });
}

void run(const Picture& source, image::Ends ends, const Lattice& lattice, Filter filter, Picture& out, Picture* covered,
         const WantedCells* asked) {
  assert(source.channels == 1 || source.channels == 4);
  if (source.channels == 4)
    run<4>(source, ends, lattice, filter, out, covered, asked);
  else
    run<1>(source, ends, lattice, filter, out, covered, asked);
}

}  // namespace

Picture resample(const Picture& source, const Map& map, const Box& region, const Box& display, Filter filter,
                 Picture* covered, const Picture* wanted) {
  if (covered) *covered = Picture(region, display, 1);
  if (region.empty() || source.empty()) return Picture(region, display, source.channels);
  Picture out = Picture::unset(region, display, source.channels);
  const WantedCells asked(region, wanted);
  run(source, image::Ends::Apart, Lattice(map, region, asked), filter, out, covered, &asked);
  return out;
}

Picture resample(const Picture& source, const Lattice& lattice, const Box& display, Filter filter, image::Ends ends) {
  if (lattice.region().empty() || source.empty()) return Picture(lattice.region(), display, source.channels);
  Picture out = Picture::unset(lattice.region(), display, source.channels);
  run(source, ends, lattice, filter, out, nullptr, nullptr);
  return out;
}

}  // namespace zentil::map
