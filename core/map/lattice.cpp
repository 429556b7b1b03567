#include "core/map/lattice.h"

#include "core/base/parallel.h"

namespace zentil::map {

WantedCells::WantedCells(const Box& region, const image::Picture* wanted)
    : columns_((region.width() + kCell - 1) / kCell), rows_((region.height() + kCell - 1) / kCell) {
  if (!wanted) return;
  cells_.resize(static_cast<size_t>(columns_) * rows_);
  for (int y = 0; y < region.height(); ++y) {
    const float* m = wanted->pixel(region.x0, region.y0 + y);
    char* row = &cells_[static_cast<size_t>(y / kCell) * columns_];
    for (int x = 0; x < region.width(); ++x)
      if (m[x] != 0) row[x / kCell] = 1;
  }
  // Between nodes stand cubics through four others, and what is asked of a cell looks two further: so far around, every
  // node must be what it is without a matte.
  near_.resize(static_cast<size_t>(columns_ + 1) * (rows_ + 1));
  constexpr int kReach = 5;
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

namespace {

/// The cubic through four evenly spaced nodes, at their middle. False where they are not of one piece, or where their
/// third difference says that the cubic may be off (its error is 3/128 of the fourth difference).
bool between(const MapSample& p, const MapSample& q, const MapSample& r, const MapSample& s, MapSample& out) {
  if (p.branch != q.branch || q.branch != r.branch || r.branch != s.branch) return false;
  if (q.branch != kInvalid && !((s.at - 3 * r.at + 3 * q.at - p.at).squaredNorm() < 0.01)) return false;
  out.branch = q.branch;
  out.at = (9 * (q.at + r.at) - p.at - s.at) / 16;
  return true;
}

/// Weights of four evenly spaced nodes for the pixels between the second and the third (Lagrange's cubic).
struct CubicInCell {
  Eight weights[4];
};

const CubicInCell& cubicInCell() {
  static const CubicInCell made = [] {
    CubicInCell out;
    for (int k = 0; k < kCell; ++k) {
      const double t = (k + 0.5) / kCell;
      out.weights[0][k] = static_cast<float>(-t * (t - 1) * (t - 2) / 6);
      out.weights[1][k] = static_cast<float>((t + 1) * (t - 1) * (t - 2) / 2);
      out.weights[2][k] = static_cast<float>(-(t + 1) * t * (t - 2) / 2);
      out.weights[3][k] = static_cast<float>((t + 1) * t * (t - 1) / 6);
    }
    return out;
  }();
  return made;
}

void onePiece(PlacesInCell& out, int branch) {
  for (auto& row : out.branch) std::fill_n(row, kCell, branch);
  out.whole = true;
}

}  // namespace

Vec2 Lattice::outAt(int i, int j) const { return {region_.x0 + i * kCell, region_.y0 + j * kCell}; }

void Lattice::evaluate(int i, int j) {
  MapSample& s = nodes_[static_cast<size_t>(j) * columns_ + i];
  s = {outAt(i, j), 0};
  map_->apply(&s, 1);
}

Lattice::Lattice(const Map& map, const Box& region, const WantedCells& wanted) : map_(&map), region_(region) {
  columns_ = (region.width() + kCell - 1) / kCell + 1;
  rows_ = (region.height() + kCell - 1) / kCell + 1;
  nodes_.resize(static_cast<size_t>(columns_) * rows_);
  // Every other node of every other row is evaluated; those between are interpolated where the map is smooth there.
  parallelRanges(0, (rows_ + 1) / 2, 1, [&](int first, int last) {
    std::vector<MapSample> some;
    for (int j = first; j < last; ++j) {
      MapSample* row = &nodes_[static_cast<size_t>(2 * j) * columns_];
      some.clear();
      for (int i = 0; i < columns_; i += 2) some.push_back({outAt(i, 2 * j), wanted.node(i, 2 * j) ? 0 : kInvalid});
      map_->apply(some.data(), some.size());
      for (int i = 0; i < columns_; i += 2) row[i] = some[static_cast<size_t>(i / 2)];
      for (int i = 1; i < columns_; i += 2)
        if (!wanted.node(i, 2 * j))
          row[i].branch = kInvalid;
        else if (i < 3 || i + 3 >= columns_ || !between(row[i - 3], row[i - 1], row[i + 1], row[i + 3], row[i]))
          evaluate(i, 2 * j);
    }
  });
  parallelRanges(0, rows_ / 2, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const int j = 2 * k + 1;
      MapSample* row = &nodes_[static_cast<size_t>(j) * columns_];
      for (int i = 0; i < columns_; ++i)
        if (!wanted.node(i, j))
          row[i].branch = kInvalid;
        else if (j < 3 || j + 3 >= rows_ ||
                 !between(row[i - 3 * columns_], row[i - columns_], row[i + columns_], row[i + 3 * columns_], row[i]))
          evaluate(i, j);
    }
  });
}

Lattice Lattice::kept(const Map& map, const Box& region) {
  Lattice out(map, region, WantedCells(region, nullptr));
  const int across = out.cellColumns(), down = out.cellRows();
  out.cells_.resize(static_cast<size_t>(across) * down);
  out.exact_.resize(static_cast<size_t>(down));
  parallelRanges(0, down, 1, [&](int first, int last) {
    for (int j = first; j < last; ++j)
      for (int i = 0; i < across; ++i) {
        auto& kept = out.cells_[static_cast<size_t>(j) * across + i];
        kept.cell = out.judged(i, j);
        if (!kept.cell.exact) continue;
        auto& row = out.exact_[static_cast<size_t>(j)];
        kept.exact = static_cast<int>(row.size());
        out.exactly(i, j, Vec2::Zero(), row.emplace_back());
      }
  });
  out.map_ = nullptr;
  return out;
}

size_t Lattice::bytes() const {
  size_t n = nodes_.size() * sizeof(MapSample) + cells_.size() * sizeof(KeptCell);
  for (const auto& row : exact_) n += row.capacity() * sizeof(PlacesInCell);
  return n;
}

Cell Lattice::cell(int i, int j) const {
  return cells_.empty() ? judged(i, j) : cells_[static_cast<size_t>(j) * cellColumns() + i].cell;
}

void Lattice::places(int i, int j, const Cell& cell, const Vec2& origin, PlacesInCell& out) const {
  if (!cell.exact) {
    cell.curved ? bent(i, j, origin, out) : straight(i, j, origin, out);
  } else if (cells_.empty()) {
    exactly(i, j, origin, out);
  } else {
    const int at = cells_[static_cast<size_t>(j) * cellColumns() + i].exact;
    out = exact_[static_cast<size_t>(j)][static_cast<size_t>(at)];
    for (int k = 0; k < kCell; ++k)
      out.x[k] -= static_cast<float>(origin.x()), out.y[k] -= static_cast<float>(origin.y());
  }
}

void Lattice::corners(int i, int j, Vec2 (&out)[4]) const {
  out[0] = node(i, j).at, out[1] = node(i + 1, j).at, out[2] = node(i + 1, j + 1).at, out[3] = node(i, j + 1).at;
}

void Lattice::exactly(int i, int j, const Vec2& origin, PlacesInCell& out) const {
  MapSample spots[kCell * kCell];
  // What lies beyond the region is asked too, and not read.
  const Vec2 corner = outAt(i, j);
  for (int v = 0, n = 0; v < kCell; ++v)
    for (int u = 0; u < kCell; ++u, ++n) spots[n] = {corner + Vec2(u + 0.5, v + 0.5), 0};
  map_->apply(spots, kCell * kCell);
  out.whole = true;
  for (int v = 0, n = 0; v < kCell; ++v)
    for (int u = 0; u < kCell; ++u, ++n) {
      const MapSample& s = spots[n];
      out.branch[v][u] = s.branch;
      out.whole = out.whole && s.branch != kInvalid && s.branch == spots[0].branch;
      const Vec2 at = s.branch != kInvalid ? Vec2(s.at - origin) : Vec2(Vec2::Zero());
      out.x[v][u] = static_cast<float>(at.x()), out.y[v][u] = static_cast<float>(at.y());
    }
}

void Lattice::bent(int i, int j, const Vec2& origin, PlacesInCell& out) const {
  const auto& w = cubicInCell().weights;
  // Along each of the four rows of nodes first, then between these.
  Eight acrossX[4], acrossY[4];
  for (int v = 0; v < 4; ++v) {
    const MapSample* s = &node(i - 1, j - 1 + v);
    Eight x{}, y{};
    for (int u = 0; u < 4; ++u) {
      const Vec2 at = s[u].at - origin;
      x += w[u] * static_cast<float>(at.x()), y += w[u] * static_cast<float>(at.y());
    }
    acrossX[v] = x, acrossY[v] = y;
  }
  for (int k = 0; k < kCell; ++k) {
    out.x[k] = acrossX[0] * w[0][k] + acrossX[1] * w[1][k] + acrossX[2] * w[2][k] + acrossX[3] * w[3][k];
    out.y[k] = acrossY[0] * w[0][k] + acrossY[1] * w[1][k] + acrossY[2] * w[2][k] + acrossY[3] * w[3][k];
  }
  onePiece(out, node(i, j).branch);
}

void Lattice::straight(int i, int j, const Vec2& origin, PlacesInCell& out) const {
  constexpr Eight kSteps = {0.5f, 1.5f, 2.5f, 3.5f, 4.5f, 5.5f, 6.5f, 7.5f};
  const Vec2 a = node(i, j).at - origin, b = node(i + 1, j).at - origin, d = node(i, j + 1).at - origin,
             e = node(i + 1, j + 1).at - origin;
  for (int k = 0; k < kCell; ++k) {
    const double v = (k + 0.5) / kCell;
    const Vec2 left = a + (d - a) * v, step = (b + (e - b) * v - left) / kCell;
    out.x[k] = static_cast<float>(left.x()) + kSteps * static_cast<float>(step.x());
    out.y[k] = static_cast<float>(left.y()) + kSteps * static_cast<float>(step.y());
  }
  onePiece(out, node(i, j).branch);
}

Cell Lattice::judged(int i, int j) const {
  const MapSample &a = node(i, j), &b = node(i + 1, j), &c = node(i + 1, j + 1), &d = node(i, j + 1);
  Cell out;
  const Vec2 corners[4] = {outAt(i, j), outAt(i + 1, j), outAt(i + 1, j + 1), outAt(i, j + 1)};
  if (a.branch != b.branch || a.branch != c.branch || a.branch != d.branch || map_->intricateWithin(corners)) {
    out.exact = true;
  } else if (a.branch == kInvalid) {
    // Something small may still lie inside a cell whose corners are all nowhere, at the edge of what is there.
    for (int v = -1; v <= 2 && !out.exact; ++v)
      for (int u = -1; u <= 2; ++u)
        if (i + u >= 0 && i + u < columns_ && j + v >= 0 && j + v < rows_ && node(i + u, j + v).branch != kInvalid)
          out.exact = true;
    out.nowhere = !out.exact;
    return out;
  } else {
    const double off = curvature(i, j);
    out.curved = off > kTolerance;
    out.exact = out.curved && !(off < kCell / 2.0 && fourthDifference(i, j) <= kTolerance);
  }
  if (a.branch != kInvalid && a.branch == b.branch && a.branch == d.branch) {
    out.reduceX = static_cast<float>((b.at - a.at).norm() / kCell);
    out.reduceY = static_cast<float>((d.at - a.at).norm() / kCell);
  }
  return out;
}

double Lattice::curvature(int i, int j) const {
  const auto second = [&](int i0, int j0, int di, int dj) {
    const int ia = i0 - di, ja = j0 - dj, ib = i0 + di, jb = j0 + dj;
    if (ia < 0 || ja < 0 || ib >= columns_ || jb >= rows_) return -1.0;
    const MapSample &p = node(ia, ja), &q = node(i0, j0), &r = node(ib, jb);
    if (p.branch != q.branch || r.branch != q.branch) return -1.0;
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

double Lattice::fourthDifference(int i, int j) const {
  if (i < 2 || j < 2 || i + 3 >= columns_ || j + 3 >= rows_) return 1e9;
  const int branch = node(i, j).branch;
  for (int v = -2; v <= 3; ++v)
    for (int u = -2; u <= 3; ++u)
      if (node(i + u, j + v).branch != branch) return 1e9;
  double total = 0;
  for (const bool across : {true, false}) {
    double worst = 0;
    // Both lines of nodes along the cell, each with the two fourth differences that its cubic lies in.
    for (int line = 0; line <= 1; ++line)
      for (int at = 0; at <= 1; ++at) {
        const auto f = [&](int k) -> const Vec2& {
          return across ? node(i + at + k, j + line).at : node(i + line, j + at + k).at;
        };
        worst = std::max(worst, (f(-2) - 4 * f(-1) + 6 * f(0) - 4 * f(1) + f(2)).norm());
      }
    total += worst * 3 / 128;
  }
  return total;
}

}  // namespace zentil::map
