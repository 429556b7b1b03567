#include "core/map/resample.h"

#include <cassert>
#include <cmath>
#include <cstring>

#include "core/base/parallel.h"

namespace zentil::map {
namespace {

using image::Picture;

constexpr int kCell = 8;
constexpr double kTolerance = 1.0 / 128;
constexpr double kReduceAbove = 1.3;

// Four floats at once; a matte's pixel is one.
using Four = float __attribute__((vector_size(16), aligned(4)));
template <int kChannels>
struct PixelType {
  using Type = float;
};
template <>
struct PixelType<4> {
  using Type = Four;
};

/// Where a cell's pixels come from, relative to its top-left corner.
struct Cell {
  bool exact = false;    ///< evaluate at every pixel
  bool nowhere = false;  ///< nothing in it
  float reduceX = 1, reduceY = 1;  ///< source pixels per output pixel, along output x and y
};

/// Reads a source picture of one channel count between its pixels.
template <int kChannels>
class Reader {
 public:
  using Pixel = typename PixelType<kChannels>::Type;

  explicit Reader(const Picture& p) : base_(p.values.data()), x0_(p.data.x0), y0_(p.data.y0), w_(p.data.width()), h_(p.data.height()) {}

  /// Positions are relative to the data window's corner from here on.
  bool holds(float x, float y) const { return x >= 0 && y >= 0 && x <= static_cast<float>(w_) && y <= static_cast<float>(h_); }
  Vec2 origin() const { return {x0_, y0_}; }

  Pixel linear(float x, float y) const {
    const float fx = x - 0.5f, fy = y - 0.5f;
    const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
    const float tx = fx - static_cast<float>(ix), ty = fy - static_cast<float>(iy);
    const Pixel top = at(ix, iy) * (1 - tx) + at(ix + 1, iy) * tx;
    const Pixel low = at(ix, iy + 1) * (1 - tx) + at(ix + 1, iy + 1) * tx;
    return top * (1 - ty) + low * ty;
  }

  /// N x N taps with separable weights.
  template <int kTaps, typename Weights>
  Pixel taps(float x, float y, const Weights& weights) const {
    const float fx = x - 0.5f, fy = y - 0.5f;
    const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
    float wx[kTaps], wy[kTaps];
    weights(fx - static_cast<float>(ix), wx);
    weights(fy - static_cast<float>(iy), wy);
    constexpr int kBefore = kTaps / 2 - 1;
    const int left = ix - kBefore, top = iy - kBefore;
    Pixel sum{};
    if (left >= 0 && top >= 0 && left + kTaps <= w_ && top + kTaps <= h_) {
      const float* row = base_ + (static_cast<size_t>(top) * w_ + left) * kChannels;
      for (int j = 0; j < kTaps; ++j, row += static_cast<size_t>(w_) * kChannels) {
        Pixel line{};
        for (int i = 0; i < kTaps; ++i) line += load(row + i * kChannels) * wx[i];
        sum += line * wy[j];
      }
    } else {
      for (int j = 0; j < kTaps; ++j) {
        Pixel line{};
        for (int i = 0; i < kTaps; ++i) line += at(left + i, top + j) * wx[i];
        sum += line * wy[j];
      }
    }
    return sum;
  }

 private:
  static Pixel load(const float* p) {
    if constexpr (kChannels == 1) return *p;
    else {
      Pixel v;
      std::memcpy(&v, p, sizeof v);
      return v;
    }
  }
  Pixel at(int x, int y) const {
    x = std::clamp(x, 0, w_ - 1);
    y = std::clamp(y, 0, h_ - 1);
    return load(base_ + (static_cast<size_t>(y) * w_ + x) * kChannels);
  }

  const float* base_;
  int x0_, y0_, w_, h_;
};

void cubicWeights(float t, float (&w)[4]) {
  const float tt = t * t, ttt = tt * t;
  w[0] = -0.5f * ttt + tt - 0.5f * t;
  w[1] = 1.5f * ttt - 2.5f * tt + 1;
  w[2] = -1.5f * ttt + 2 * tt + 0.5f * t;
  w[3] = 0.5f * ttt - 0.5f * tt;
}

/// Lanczos weights, normalised to sum 1, from a table of 1024 phases.
void lanczosWeights(float t, float (&w)[6]) {
  constexpr int kPhases = 1024;
  static const std::vector<float> table = [] {
    std::vector<float> out;
    out.reserve((kPhases + 1) * 6);
    for (int p = 0; p <= kPhases; ++p) {
      double v[6], sum = 0;
      for (int i = 0; i < 6; ++i) {
        const double d = M_PI * (i - 2 - static_cast<double>(p) / kPhases);
        v[i] = std::abs(d) < 1e-9 ? 1.0 : std::abs(d) >= 3 * M_PI ? 0.0 : 3 * std::sin(d) * std::sin(d / 3) / (d * d);
        sum += v[i];
      }
      for (const double x : v) out.push_back(static_cast<float>(x / sum));
    }
    return out;
  }();
  const float f = t * kPhases;
  const int p = std::min(static_cast<int>(f), kPhases - 1);
  const float u = f - static_cast<float>(p);
  const float* a = table.data() + static_cast<size_t>(p) * 6;
  for (int i = 0; i < 6; ++i) w[i] = a[i] + (a[i + 6] - a[i]) * u;
}

class Lattice {
 public:
  Lattice(const Map& map, const Box& region) : map_(map), region_(region) {
    columns_ = (region.width() + kCell - 1) / kCell + 1;
    rows_ = (region.height() + kCell - 1) / kCell + 1;
    nodes_.resize(static_cast<size_t>(columns_) * rows_);
    parallelRanges(0, rows_, 2, [&](int first, int last) {
      for (int j = first; j < last; ++j) {
        Spot* row = &nodes_[static_cast<size_t>(j) * columns_];
        for (int i = 0; i < columns_; ++i) row[i] = {outAt(i, j), 0};
        map_.apply(row, static_cast<size_t>(columns_));
      }
    });
  }

  const Spot& node(int i, int j) const { return nodes_[static_cast<size_t>(j) * columns_ + i]; }
  int cellColumns() const { return columns_ - 1; }
  int cellRows() const { return rows_ - 1; }

  Cell cell(int i, int j) const {
    const Spot &a = node(i, j), &b = node(i + 1, j), &c = node(i + 1, j + 1), &d = node(i, j + 1);
    Cell out;
    const Vec2 corners[4] = {outAt(i, j), outAt(i + 1, j), outAt(i + 1, j + 1), outAt(i, j + 1)};
    if (a.piece != b.piece || a.piece != c.piece || a.piece != d.piece || map_.intricateWithin(corners)) {
      out.exact = true;
    } else if (a.piece == kNowhere) {
      // Something small may still lie inside a cell whose corners are all nowhere, at the edge of what is there.
      for (int v = -1; v <= 2 && !out.exact; ++v)
        for (int u = -1; u <= 2; ++u)
          if (i + u >= 0 && i + u < columns_ && j + v >= 0 && j + v < rows_ && node(i + u, j + v).piece != kNowhere) out.exact = true;
      out.nowhere = !out.exact;
      return out;
    } else {
      out.exact = curvature(i, j) > kTolerance;
    }
    if (a.piece != kNowhere && a.piece == b.piece && a.piece == d.piece) {
      out.reduceX = static_cast<float>((b.at - a.at).norm() / kCell);
      out.reduceY = static_cast<float>((d.at - a.at).norm() / kCell);
    }
    return out;
  }

 private:
  Vec2 outAt(int i, int j) const { return {region_.x0 + i * kCell, region_.y0 + j * kCell}; }

  /// Largest error of bilinear interpolation in a cell, from the second differences about it: h^2/8 |f''| each way, and
  /// the same piece must go on around it for the differences to mean anything.
  double curvature(int i, int j) const {
    const auto second = [&](int i0, int j0, int di, int dj) {
      const int ia = i0 - di, ja = j0 - dj, ib = i0 + di, jb = j0 + dj;
      if (ia < 0 || ja < 0 || ib >= columns_ || jb >= rows_) return -1.0;
      const Spot &p = node(ia, ja), &q = node(i0, j0), &r = node(ib, jb);
      if (p.piece != q.piece || r.piece != q.piece) return -1.0;
      return (p.at - 2 * q.at + r.at).norm();
    };
    double total = 0;
    for (const bool across : {true, false}) {
      double worst = -1;
      for (int v = 0; v <= 1; ++v)
        for (int u = 0; u <= 1; ++u) worst = std::max(worst, second(i + u, j + v, across, !across));
      if (worst < 0) return 1e9;
      total += worst / 8;
    }
    return total;
  }

  const Map& map_;
  Box region_;
  int columns_, rows_;
  std::vector<Spot> nodes_;
};

template <int kChannels>
class Resampler {
 public:
  Resampler(const Picture& source, const Map& map, Filter filter, Picture& out, Picture* covered)
      : reader_(source), map_(map), filter_(filter), out_(out), covered_(covered) {}

  void cell(const Lattice& lattice, int i, int j) {
    const Box& r = out_.data;
    const Cell c = lattice.cell(i, j);
    if (c.nowhere) return;
    const int x0 = r.x0 + i * kCell, y0 = r.y0 + j * kCell;
    const int x1 = std::min(x0 + kCell, r.x1), y1 = std::min(y0 + kCell, r.y1);
    if (c.exact) {
      Spot spots[kCell * kCell];
      size_t n = 0;
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) spots[n++] = {Vec2(x + 0.5, y + 0.5), 0};
      map_.apply(spots, n);
      n = 0;
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x, ++n)
          if (spots[n].piece != kNowhere) {
            // Inside an exact cell the footprint comes from the neighbours in it, where they are of one piece.
            Cell here = c;
            const int w = x1 - x0;
            const size_t right = x + 1 < x1 ? n + 1 : n, down = y + 1 < y1 ? n + static_cast<size_t>(w) : n;
            if (right != n && spots[right].piece == spots[n].piece) here.reduceX = static_cast<float>((spots[right].at - spots[n].at).norm());
            if (down != n && spots[down].piece == spots[n].piece) here.reduceY = static_cast<float>((spots[down].at - spots[n].at).norm());
            const Vec2 stepX = right != n && spots[right].piece == spots[n].piece ? Vec2(spots[right].at - spots[n].at) : Vec2(here.reduceX, 0);
            const Vec2 stepY = down != n && spots[down].piece == spots[n].piece ? Vec2(spots[down].at - spots[n].at) : Vec2(0, here.reduceY);
            put(x, y, spots[n].at - reader_.origin(), stepX, stepY, here);
          }
      return;
    }
    const Vec2 a = lattice.node(i, j).at - reader_.origin(), b = lattice.node(i + 1, j).at - reader_.origin();
    const Vec2 d = lattice.node(i, j + 1).at - reader_.origin(), e = lattice.node(i + 1, j + 1).at - reader_.origin();
    const Vec2 stepY = (d - a) / kCell;
    for (int y = y0; y < y1; ++y) {
      const double v = (y - y0 + 0.5) / kCell;
      const Vec2 left = a + (d - a) * v, right = b + (e - b) * v;
      const Vec2 stepX = (right - left) / kCell;
      if (covered_ == nullptr && c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove && filter_ == Filter::Sharp) {
        // The common case, kept tight.
        float px = static_cast<float>(left.x() + 0.5 * stepX.x()), py = static_cast<float>(left.y() + 0.5 * stepX.y());
        const float sx = static_cast<float>(stepX.x()), sy = static_cast<float>(stepX.y());
        for (int x = x0; x < x1; ++x, px += sx, py += sy)
          if (reader_.holds(px, py)) store(x, y, reader_.template taps<4>(px, py, cubicWeights));
      } else {
        for (int x = x0; x < x1; ++x) put(x, y, left + stepX * (x - x0 + 0.5), stepX, stepY, c);
      }
    }
  }

 private:
  using Pixel = typename Reader<kChannels>::Pixel;

  Pixel read(float x, float y) const {
    switch (filter_) {
      case Filter::Sharp: return reader_.template taps<4>(x, y, cubicWeights);
      case Filter::Sharper: return reader_.template taps<6>(x, y, lanczosWeights);
      case Filter::Draft: break;
    }
    return reader_.linear(x, y);
  }

  void put(int x, int y, const Vec2& at, const Vec2& stepX, const Vec2& stepY, const Cell& c) {
    if (!reader_.holds(static_cast<float>(at.x()), static_cast<float>(at.y()))) return;
    if (covered_) *covered_->pixel(x, y) = 1;
    if (c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove) {
      store(x, y, read(static_cast<float>(at.x()), static_cast<float>(at.y())));
      return;
    }
    // Reducing: the mean of bilinear readings spread evenly over the pixel's footprint.
    const int n = std::clamp(static_cast<int>(std::ceil(c.reduceX)), 1, 32), m = std::clamp(static_cast<int>(std::ceil(c.reduceY)), 1, 32);
    Pixel sum{};
    for (int v = 0; v < m; ++v)
      for (int u = 0; u < n; ++u) {
        const Vec2 p = at + stepX * ((u + 0.5) / n - 0.5) + stepY * ((v + 0.5) / m - 0.5);
        sum += reader_.linear(static_cast<float>(p.x()), static_cast<float>(p.y()));
      }
    store(x, y, sum * (1.0f / static_cast<float>(n * m)));
  }

  void store(int x, int y, const Pixel& v) {
    if constexpr (kChannels == 1) *out_.pixel(x, y) = v;
    else std::memcpy(out_.pixel(x, y), &v, sizeof v);
  }

  Reader<kChannels> reader_;
  const Map& map_;
  Filter filter_;
  Picture& out_;
  Picture* covered_;
};

template <int kChannels>
void run(const Picture& source, const Map& map, Filter filter, Picture& out, Picture* covered) {
  const Lattice lattice(map, out.data);
  parallelRanges(0, lattice.cellRows(), 1, [&](int first, int last) {
    Resampler<kChannels> r(source, map, filter, out, covered);
    for (int j = first; j < last; ++j)
      for (int i = 0; i < lattice.cellColumns(); ++i) r.cell(lattice, i, j);
  });
}

}  // namespace

Picture resample(const Picture& source, const Map& map, const Box& region, const Box& display, Filter filter, Picture* covered) {
  assert(source.channels == 1 || source.channels == 4);
  Picture out(region, display, source.channels);
  if (covered) *covered = Picture(region, display, 1);
  if (region.empty() || source.empty()) return out;
  if (source.channels == 4) run<4>(source, map, filter, out, covered);
  else run<1>(source, map, filter, out, covered);
  return out;
}

}  // namespace zentil::map
