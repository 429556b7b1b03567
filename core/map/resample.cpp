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
using Four = float __attribute__((vector_size(16)));
using Eight = float __attribute__((vector_size(32)));
using EightInts = int __attribute__((vector_size(32)));
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
  bool exact = false;              ///< evaluate at every pixel
  bool nowhere = false;            ///< nothing in it
  float reduceX = 1, reduceY = 1;  ///< source pixels per output pixel, along output x and y
};

/// Reads a source picture of one channel count between its pixels.
template <int kChannels>
class Reader {
 public:
  using Pixel = typename PixelType<kChannels>::Type;

  explicit Reader(const Picture& p)
      : base_(p.values.data()), x0_(p.data.x0), y0_(p.data.y0), w_(p.data.width()), h_(p.data.height()) {}

  /// Positions are relative to the data window's corner from here on.
  bool holds(float x, float y) const {
    return x >= 0 && y >= 0 && x <= static_cast<float>(w_) && y <= static_cast<float>(h_);
  }
  /// True unless all positions between these two corners lie beside the picture.
  bool meets(const Vec2& lo, const Vec2& hi) const {
    return hi.x() >= 0 && hi.y() >= 0 && lo.x() <= w_ && lo.y() <= h_;
  }
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
  [[gnu::always_inline]] inline Pixel taps(float x, float y, const Weights& weights) const {
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
#pragma GCC unroll 8
      for (int j = 0; j < kTaps; ++j, row += static_cast<size_t>(w_) * kChannels) {
        Pixel line{};
#pragma GCC unroll 8
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

  /// True when both taps of a linear reading lie in the picture, each way, for positions between these two corners.
  bool linearInside(const Vec2& lo, const Vec2& hi) const {
    return lo.x() >= 0.5 && lo.y() >= 0.5 && hi.x() <= w_ - 1.0 && hi.y() <= h_ - 1.0;
  }

  /// Eight linear readings of one channel from (x, y) on by (sx, sy), all inside (linearInside).
  void linearRow(float x, float y, float sx, float sy, float* out) const {
    constexpr Eight kSteps = {0, 1, 2, 3, 4, 5, 6, 7};
    const Eight fx = x - 0.5f + kSteps * sx, fy = y - 0.5f + kSteps * sy;
    const EightInts ix = __builtin_convertvector(fx, EightInts), iy = __builtin_convertvector(fy, EightInts);
    const Eight tx = fx - __builtin_convertvector(ix, Eight), ty = fy - __builtin_convertvector(iy, Eight);
    const EightInts from = iy * w_ + ix;
    Eight a, b, c, d;
    for (int k = 0; k < kCell; ++k) {
      const float* p = base_ + from[k];
      a[k] = p[0], b[k] = p[1], c[k] = p[w_], d[k] = p[w_ + 1];
    }
    const Eight top = a + (b - a) * tx, low = c + (d - c) * tx, v = top + (low - top) * ty;
    std::memcpy(out, &v, sizeof v);
  }

  /// True when every tap of a cubic reading lies in the picture for positions between these two corners.
  bool cubicInside(const Vec2& lo, const Vec2& hi) const {
    return lo.x() >= 1.5 && lo.y() >= 1.5 && hi.x() <= w_ - 2.0 && hi.y() <= h_ - 2.0;
  }

  /// Eight cubic readings of four channels from (x, y) on by (sx, sy), all inside (cubicInside): weights for the eight
  /// at once, then two taps at a time.
  void cubicRow(float x, float y, float sx, float sy, float* out) const {
    constexpr Eight kSteps = {0, 1, 2, 3, 4, 5, 6, 7};
    // One is added before cutting off decimals, so that it rounds down from -0.5 on.
    const Eight fx = x + 0.5f + kSteps * sx, fy = y + 0.5f + kSteps * sy;
    const EightInts ix = __builtin_convertvector(fx, EightInts), iy = __builtin_convertvector(fy, EightInts);
    Eight weights[8];
    cubicWeightsOf(fx - __builtin_convertvector(ix, Eight), weights);
    cubicWeightsOf(fy - __builtin_convertvector(iy, Eight), weights + 4);
    // By way of memory: picking single lanes out of registers costs more.
    alignas(32) float w[8][kCell];
    alignas(32) int xs[kCell], ys[kCell];
    std::memcpy(w, weights, sizeof w);
    std::memcpy(xs, &ix, sizeof xs);
    std::memcpy(ys, &iy, sizeof ys);
    const long stride = static_cast<long>(w_) * 4;
    for (int k = 0; k < kCell; ++k, out += 4) {
      const float* row = base_ + (ys[k] - 2) * stride + (xs[k] - 2) * 4;
      const float a = w[0][k], b = w[1][k], c = w[2][k], d = w[3][k];
      const Eight first = {a, a, a, a, b, b, b, b}, second = {c, c, c, c, d, d, d, d};
      Eight sum{};
#pragma GCC unroll 4
      for (int j = 0; j < 4; ++j, row += stride) {
        Eight l, r;
        std::memcpy(&l, row, sizeof l);
        std::memcpy(&r, row + 8, sizeof r);
        sum += (l * first + r * second) * w[4 + j][k];
      }
      const Four low = __builtin_shufflevector(sum, sum, 0, 1, 2, 3),
                 high = __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
      const Four v = low + high;
      std::memcpy(out, &v, sizeof v);
    }
  }

 private:
  static void cubicWeightsOf(const Eight& t, Eight* w) {
    w[0] = ((-0.5f * t + 1.0f) * t - 0.5f) * t;
    w[1] = (1.5f * t - 2.5f) * t * t + 1.0f;
    w[2] = ((-1.5f * t + 2.0f) * t + 0.5f) * t;
    w[3] = (0.5f * t - 0.5f) * t * t;
  }
  static Pixel load(const float* p) {
    if constexpr (kChannels == 1)
      return *p;
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

// Weights are function objects, not functions, so that the inner loop has no call in it.
struct CubicWeights {
  void operator()(float t, float (&w)[4]) const {
    const float tt = t * t, ttt = tt * t;
    w[0] = -0.5f * ttt + tt - 0.5f * t;
    w[1] = 1.5f * ttt - 2.5f * tt + 1;
    w[2] = -1.5f * ttt + 2 * tt + 0.5f * t;
    w[3] = 0.5f * ttt - 0.5f * tt;
  }
};

/// Lanczos weights, normalised to sum 1, from a table of 1024 phases.
class LanczosWeights {
 public:
  void operator()(float t, float (&w)[6]) const {
    const float f = t * kPhases;
    const int p = std::min(static_cast<int>(f), kPhases - 1);
    const float u = f - static_cast<float>(p);
    const float* a = table().data() + static_cast<size_t>(p) * 6;
    for (int i = 0; i < 6; ++i) w[i] = a[i] + (a[i + 6] - a[i]) * u;
  }

 private:
  static constexpr int kPhases = 1024;
  static const std::vector<float>& table() {
    static const std::vector<float> made = [] {
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
    return made;
  }
};

/// Which cells of a region are asked for.
class WantedCells {
 public:
  WantedCells(const Box& region, const Picture* wanted)
      : columns_((region.width() + kCell - 1) / kCell), rows_((region.height() + kCell - 1) / kCell) {
    if (!wanted) return;
    cells_.resize(static_cast<size_t>(columns_) * rows_);
    for (int y = 0; y < region.height(); ++y) {
      const float* m = wanted->pixel(region.x0, region.y0 + y);
      char* row = &cells_[static_cast<size_t>(y / kCell) * columns_];
      for (int x = 0; x < region.width(); ++x)
        if (m[x] != 0) row[x / kCell] = 1;
    }
    // Between nodes stand cubics through four others, and curvature looks one further: so far around, every node must
    // be what it is without a matte.
    near_.resize(static_cast<size_t>(columns_ + 1) * (rows_ + 1));
    constexpr int kReach = 4;
    std::vector<char> across(near_.size());
    for (int j = 0; j < rows_; ++j)
      for (int i = 0; i < columns_; ++i)
        if (cells_[static_cast<size_t>(j) * columns_ + i])
          for (int u = std::max(0, i - kReach); u <= std::min(columns_, i + 1 + kReach); ++u)
            across[static_cast<size_t>(j) * (columns_ + 1) + u] = 1;
    for (int j = 0; j < rows_; ++j)
      for (int u = 0; u <= columns_; ++u)
        if (across[static_cast<size_t>(j) * (columns_ + 1) + u])
          for (int v = std::max(0, j - kReach); v <= std::min(rows_, j + 1 + kReach); ++v)
            near_[static_cast<size_t>(v) * (columns_ + 1) + u] = 1;
  }

  bool cell(int i, int j) const { return cells_.empty() || cells_[static_cast<size_t>(j) * columns_ + i]; }
  bool node(int i, int j) const { return near_.empty() || near_[static_cast<size_t>(j) * (columns_ + 1) + i]; }

 private:
  int columns_, rows_;
  std::vector<char> cells_, near_;  // empty: all
};

class Lattice {
 public:
  Lattice(const Map& map, const Box& region, const WantedCells& wanted) : map_(map), region_(region) {
    columns_ = (region.width() + kCell - 1) / kCell + 1;
    rows_ = (region.height() + kCell - 1) / kCell + 1;
    nodes_.resize(static_cast<size_t>(columns_) * rows_);
    // Every other node of every other row is evaluated; those between are interpolated where the map is smooth there.
    parallelRanges(0, (rows_ + 1) / 2, 1, [&](int first, int last) {
      std::vector<Spot> some;
      for (int j = first; j < last; ++j) {
        Spot* row = &nodes_[static_cast<size_t>(2 * j) * columns_];
        some.clear();
        for (int i = 0; i < columns_; i += 2) some.push_back({outAt(i, 2 * j), wanted.node(i, 2 * j) ? 0 : kNowhere});
        map_.apply(some.data(), some.size());
        for (int i = 0; i < columns_; i += 2) row[i] = some[static_cast<size_t>(i / 2)];
        for (int i = 1; i < columns_; i += 2)
          if (!wanted.node(i, 2 * j))
            row[i].piece = kNowhere;
          else if (i < 3 || i + 3 >= columns_ || !between(row[i - 3], row[i - 1], row[i + 1], row[i + 3], row[i]))
            evaluate(i, 2 * j);
      }
    });
    parallelRanges(0, rows_ / 2, 1, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const int j = 2 * k + 1;
        Spot* row = &nodes_[static_cast<size_t>(j) * columns_];
        for (int i = 0; i < columns_; ++i)
          if (!wanted.node(i, j))
            row[i].piece = kNowhere;
          else if (j < 3 || j + 3 >= rows_ ||
                   !between(row[i - 3 * columns_], row[i - columns_], row[i + columns_], row[i + 3 * columns_], row[i]))
            evaluate(i, j);
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
          if (i + u >= 0 && i + u < columns_ && j + v >= 0 && j + v < rows_ && node(i + u, j + v).piece != kNowhere)
            out.exact = true;
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

  void evaluate(int i, int j) {
    Spot& s = nodes_[static_cast<size_t>(j) * columns_ + i];
    s = {outAt(i, j), 0};
    map_.apply(&s, 1);
  }

  /// The cubic through four evenly spaced nodes, at their middle. False where they are not of one piece, or where their
  /// third difference says that the cubic may be off (its error is 3/128 of the fourth difference).
  static bool between(const Spot& p, const Spot& q, const Spot& r, const Spot& s, Spot& out) {
    if (p.piece != q.piece || q.piece != r.piece || r.piece != s.piece) return false;
    if (q.piece != kNowhere && !((s.at - 3 * r.at + 3 * q.at - p.at).squaredNorm() < 0.01)) return false;
    out.piece = q.piece;
    out.at = (9 * (q.at + r.at) - p.at - s.at) / 16;
    return true;
  }

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

  void cell(const Lattice& lattice, int i, int j, bool wanted) {
    const Box& r = out_.data;
    const Cell c = wanted ? lattice.cell(i, j) : Cell{.nowhere = true};
    const int x0 = r.x0 + i * kCell, y0 = r.y0 + j * kCell;
    const int x1 = std::min(x0 + kCell, r.x1), y1 = std::min(y0 + kCell, r.y1);
    const auto clear = [&] {
      for (int y = y0; y < y1; ++y) std::fill_n(out_.pixel(x0, y), (x1 - x0) * kChannels, 0.0f);
    };
    if (c.nowhere || (!c.exact && leavesSource(lattice, i, j))) {
      clear();
      return;
    }
    if (!c.exact && !covered_ && x1 - x0 == kCell && c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove &&
        tightRows(lattice, i, j, x0, y0, y1))
      return;
    clear();
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
            if (right != n && spots[right].piece == spots[n].piece)
              here.reduceX = static_cast<float>((spots[right].at - spots[n].at).norm());
            if (down != n && spots[down].piece == spots[n].piece)
              here.reduceY = static_cast<float>((spots[down].at - spots[n].at).norm());
            const Vec2 stepX = right != n && spots[right].piece == spots[n].piece ? Vec2(spots[right].at - spots[n].at)
                                                                                  : Vec2(here.reduceX, 0);
            const Vec2 stepY = down != n && spots[down].piece == spots[n].piece ? Vec2(spots[down].at - spots[n].at)
                                                                                : Vec2(0, here.reduceY);
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
      if (!covered_ && c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove) {
        float px = static_cast<float>(left.x() + 0.5 * stepX.x()), py = static_cast<float>(left.y() + 0.5 * stepX.y());
        const float sx = static_cast<float>(stepX.x()), sy = static_cast<float>(stepX.y());
        for (int x = x0; x < x1; ++x, px += sx, py += sy)
          if (reader_.holds(px, py)) store(x, y, read(px, py));
      } else {
        for (int x = x0; x < x1; ++x) put(x, y, left + stepX * (x - x0 + 0.5), stepX, stepY, c);
      }
    }
  }

 private:
  using Pixel = typename Reader<kChannels>::Pixel;

  /// The common cases, kept tight: whole rows of a cell that lies inside the source. False when it is not one of them.
  bool tightRows(const Lattice& lattice, int i, int j, int x0, int y0, int y1) {
    const bool cubic = kChannels == 4 && filter_ == Filter::Sharp, linear = kChannels == 1 && filter_ == Filter::Draft;
    if (!cubic && !linear) return false;
    const Vec2 o = reader_.origin();
    const Vec2 a = lattice.node(i, j).at - o, b = lattice.node(i + 1, j).at - o, d = lattice.node(i, j + 1).at - o,
               e = lattice.node(i + 1, j + 1).at - o;
    const Vec2 lo = a.cwiseMin(b).cwiseMin(d.cwiseMin(e)), hi = a.cwiseMax(b).cwiseMax(d.cwiseMax(e));
    if (!(cubic ? reader_.cubicInside(lo, hi) : reader_.linearInside(lo, hi))) return false;
    for (int y = y0; y < y1; ++y) {
      const double v = (y - y0 + 0.5) / kCell;
      const Vec2 left = a + (d - a) * v, step = (b + (e - b) * v - left) / kCell, first = left + step * 0.5;
      const float x = static_cast<float>(first.x()), at = static_cast<float>(first.y()),
                  sx = static_cast<float>(step.x()), sy = static_cast<float>(step.y());
      if constexpr (kChannels == 4)
        reader_.cubicRow(x, at, sx, sy, out_.pixel(x0, y));
      else
        reader_.linearRow(x, at, sx, sy, out_.pixel(x0, y));
    }
    return true;
  }

  /// True when a whole cell comes from beside the source picture.
  bool leavesSource(const Lattice& lattice, int i, int j) const {
    Vec2 lo = lattice.node(i, j).at, hi = lo;
    for (const auto& [u, v] : {std::pair{1, 0}, {0, 1}, {1, 1}}) {
      const Vec2& at = lattice.node(i + u, j + v).at;
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
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

  void put(int x, int y, const Vec2& at, const Vec2& stepX, const Vec2& stepY, const Cell& c) {
    if (!reader_.holds(static_cast<float>(at.x()), static_cast<float>(at.y()))) return;
    if (covered_) *covered_->pixel(x, y) = 1;
    if (c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove) {
      store(x, y, read(static_cast<float>(at.x()), static_cast<float>(at.y())));
      return;
    }
    // Reducing: the mean of bilinear readings spread evenly over the pixel's footprint.
    const int n = std::clamp(static_cast<int>(std::ceil(c.reduceX)), 1, 32),
              m = std::clamp(static_cast<int>(std::ceil(c.reduceY)), 1, 32);
    Pixel sum{};
    for (int v = 0; v < m; ++v)
      for (int u = 0; u < n; ++u) {
        const Vec2 p = at + stepX * ((u + 0.5) / n - 0.5) + stepY * ((v + 0.5) / m - 0.5);
        sum += reader_.linear(static_cast<float>(p.x()), static_cast<float>(p.y()));
      }
    store(x, y, sum * (1.0f / static_cast<float>(n * m)));
  }

  void store(int x, int y, const Pixel& v) {
    if constexpr (kChannels == 1)
      *out_.pixel(x, y) = v;
    else
      std::memcpy(out_.pixel(x, y), &v, sizeof v);
  }

  Reader<kChannels> reader_;
  const Map& map_;
  Filter filter_;
  Picture& out_;
  Picture* covered_;
};

template <int kChannels>
void run(const Picture& source, const Map& map, Filter filter, Picture& out, Picture* covered, const Picture* wanted) {
  const WantedCells asked(out.data, wanted);
  const Lattice lattice(map, out.data, asked);
  parallelRanges(0, lattice.cellRows(), 1, [&](int first, int last) {
    Resampler<kChannels> r(source, map, filter, out, covered);
    for (int j = first; j < last; ++j)
      for (int i = 0; i < lattice.cellColumns(); ++i) r.cell(lattice, i, j, asked.cell(i, j));
  });
}

}  // namespace

Picture resample(const Picture& source, const Map& map, const Box& region, const Box& display, Filter filter,
                 Picture* covered, const Picture* wanted) {
  assert(source.channels == 1 || source.channels == 4);
  Picture out = Picture::unset(region, display, source.channels);
  if (covered) *covered = Picture(region, display, 1);
  if (region.empty() || source.empty()) {
    std::fill(out.values.begin(), out.values.end(), 0.0f);
    return out;
  }
  if (source.channels == 4)
    run<4>(source, map, filter, out, covered, wanted);
  else
    run<1>(source, map, filter, out, covered, wanted);
  return out;
}

}  // namespace zentil::map
