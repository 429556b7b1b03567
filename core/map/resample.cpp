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
    if (c.nowhere || (!c.exact && !c.curved && leavesSource(lattice, i, j))) {
      clear();
      return;
    }
    if (!c.exact && !covered_ && x1 - x0 == kCell && c.reduceX <= kReduceAbove && c.reduceY <= kReduceAbove &&
        tightRows(lattice, i, j, c.curved, x0, y0, y1))
      return;
    clear();
    if (c.exact || c.curved) {
      Spot spots[kCell * kCell];
      size_t n = 0;
      if (c.exact) {
        for (int y = y0; y < y1; ++y)
          for (int x = x0; x < x1; ++x) spots[n++] = {Vec2(x + 0.5, y + 0.5), 0};
        map_.apply(spots, n);
      } else {
        for (int y = y0; y < y1; ++y) {
          const auto [px, py] = curvedRow(lattice, i, j, y - y0);
          for (int k = 0; k < x1 - x0; ++k)
            spots[n++] = {Vec2(px[k], py[k]) + reader_.origin(), lattice.node(i, j).piece};
        }
      }
      n = 0;
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x, ++n)
          if (spots[n].piece != kNowhere) {
            // The footprint comes from the neighbours in the cell, where they are of one piece.
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
  bool tightRows(const Lattice& lattice, int i, int j, bool curved, int x0, int y0, int y1) {
    const bool cubic = kChannels == 4 && filter_ == Filter::Sharp, linear = filter_ == Filter::Draft;
    if (!cubic && !linear) return false;
    const Vec2 o = reader_.origin();
    const Vec2 a = lattice.node(i, j).at - o, b = lattice.node(i + 1, j).at - o, d = lattice.node(i, j + 1).at - o,
               e = lattice.node(i + 1, j + 1).at - o;
    Vec2 lo = a.cwiseMin(b).cwiseMin(d.cwiseMin(e)), hi = a.cwiseMax(b).cwiseMax(d.cwiseMax(e));
    // What is curved may bulge beyond its corners; within the tolerance of cubics, never by a cell's side.
    if (curved) lo -= Vec2::Constant(kCell), hi += Vec2::Constant(kCell);
    if (!(cubic ? reader_.cubicInside(lo, hi) : reader_.linearInside(lo, hi))) return false;
    constexpr Eight kSteps = {0.5f, 1.5f, 2.5f, 3.5f, 4.5f, 5.5f, 6.5f, 7.5f};
    for (int y = y0; y < y1; ++y) {
      Row row;
      if (curved) {
        row = curvedRow(lattice, i, j, y - y0);
      } else {
        const double v = (y - y0 + 0.5) / kCell;
        const Vec2 left = a + (d - a) * v, step = (b + (e - b) * v - left) / kCell;
        row.x = static_cast<float>(left.x()) + kSteps * static_cast<float>(step.x());
        row.y = static_cast<float>(left.y()) + kSteps * static_cast<float>(step.y());
      }
      if constexpr (kChannels == 1)
        reader_.linearRow(row.x, row.y, out_.pixel(x0, y));
      else if (linear)
        reader_.linearRowOfFour(row.x, row.y, out_.pixel(x0, y));
      else
        reader_.cubicRow(row.x, row.y, out_.pixel(x0, y));
    }
    return true;
  }

  /// Where the eight pixels of a row lie in the source, from its corner on.
  struct Row {
    Eight x, y;
  };
  Row curvedRow(const Lattice& lattice, int i, int j, int row) const {
    Vec2 columns[4];
    lattice.columnsOf(i, j, row, reader_.origin(), columns);
    Row out{};
    for (int u = 0; u < 4; ++u) {
      Eight w;
      std::memcpy(&w, cubicInCell().weights[u], sizeof w);
      out.x += w * static_cast<float>(columns[u].x());
      out.y += w * static_cast<float>(columns[u].y());
    }
    return out;
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
    const Vec2 acrossBy = stepX / n, downBy = stepY / m, first = at - (stepX - acrossBy) / 2 - (stepY - downBy) / 2;
    const Vec2 reach = (stepX.cwiseAbs() + stepY.cwiseAbs()) / 2;
    const auto ax = static_cast<float>(acrossBy.x()), ay = static_cast<float>(acrossBy.y());
    if (reader_.linearInside(at - reach, at + reach)) {
      for (int v = 0; v < m; ++v) {
        const Vec2 row = first + downBy * v;
        auto px = static_cast<float>(row.x()), py = static_cast<float>(row.y());
        for (int u = 0; u < n; ++u, px += ax, py += ay) sum += reader_.linearWithin(px, py);
      }
    } else {
      for (int v = 0; v < m; ++v)
        for (int u = 0; u < n; ++u) {
          const Vec2 p = first + downBy * v + acrossBy * u;
          sum += reader_.linear(static_cast<float>(p.x()), static_cast<float>(p.y()));
        }
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
