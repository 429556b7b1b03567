#include "core/steady/runs.h"

#include <fmt/format.h>

#include <ClpSimplex.hpp>
#include <ClpSolve.hpp>
#include <CoinPackedMatrix.hpp>
#include <Eigen/Geometry>
#include <array>
#include <cmath>

#include "core/base/error.h"
#include "core/steady/path.h"

namespace zentil::steady {
namespace {

constexpr int kAxes = 3;  ///< pan, tilt, roll
constexpr double kTurn = 2 * 3.14159265358979323846;

Vec3 anglesOf(const Mat3& r) {
  return {std::atan2(r(0, 2), r(2, 2)), -std::asin(std::clamp(r(1, 2), -1.0, 1.0)), std::atan2(r(1, 0), r(1, 1))};
}

Mat3 turnOf(const Vec3& a) {
  return (Eigen::AngleAxisd(a[0], Vec3::UnitY()) * Eigen::AngleAxisd(a[1], Vec3::UnitX()) *
          Eigen::AngleAxisd(a[2], Vec3::UnitZ()))
      .toRotationMatrix();
}

/// A linear program's rows.
class Rows {
 public:
  explicit Rows(int columns) : columns_(columns) {}
  void add(std::initializer_list<std::pair<int, double>> terms, double low, double high) {
    starts_.push_back(static_cast<CoinBigIndex>(indices_.size()));
    for (const auto& [i, v] : terms) indices_.push_back(i), values_.push_back(v);
    low_.push_back(low), high_.push_back(high);
  }
  void loadInto(ClpSimplex& lp, const std::vector<double>& columnLow, const std::vector<double>& columnHigh,
                const std::vector<double>& costs) {
    auto starts = starts_;
    starts.push_back(static_cast<CoinBigIndex>(indices_.size()));
    const CoinPackedMatrix matrix(false, columns_, static_cast<int>(low_.size()), static_cast<int>(indices_.size()),
                                  values_.data(), indices_.data(), starts.data(), nullptr);
    lp.loadProblem(matrix, columnLow.data(), columnHigh.data(), costs.data(), low_.data(), high_.data());
  }

 private:
  int columns_;
  std::vector<CoinBigIndex> starts_;
  std::vector<int> indices_;
  std::vector<double> values_, low_, high_;
};

/// Where the steadied picture's edge lies on the plate, by its corners and the middles of its sides.
constexpr int kEdge = 8;
Vec2 edgeOf(const Vec2& size, int k) {
  static constexpr std::array<std::array<double, 2>, kEdge> kAt = {
      {{0, 0}, {0.5, 0}, {1, 0}, {1, 0.5}, {1, 1}, {0.5, 1}, {0, 1}, {0, 0.5}}};
  return {kAt[static_cast<size_t>(k)][0] * size.x(), kAt[static_cast<size_t>(k)][1] * size.y()};
}

}  // namespace

std::map<int, Mat3> inRuns(const shot::Shot& s, const std::map<int, Mat3>& turns) {
  const double by = s.steady.mayEnlarge;
  const Vec2 size(s.width, s.height), middle = size / 2;
  std::vector<int> frames;
  std::vector<Vec3> own;
  Path path;
  for (const auto& [f, r] : turns) {
    Vec3 a = anglesOf(r);
    if (!own.empty())
      for (const int k : {0, 2}) a[k] += kTurn * std::round((own.back()[k] - a[k]) / kTurn);
    frames.push_back(f), own.push_back(a);
    path.looks[f] = s.cameraAt(f);
    path.looks[f].rotation = s.steady.level ? turnOf({a[0], a[1], 0}) : r;
  }
  if (const double least = leastEnlargement(s, path); least > by)
    throw Error(fmt::format("the picture has to be enlarged {:.3f} times for the camera's own turns already", least),
                "Allow more, or leave the edges transparent");
  std::map<int, Mat3> begin;
  for (const auto& [f, c] : path.looks) begin[f] = c.rotation;
  const int n = static_cast<int>(frames.size());
  const auto frameAt = [&](int i) { return frames.at(static_cast<size_t>(i)); };
  // Where a point of the edge lies on the plate when the picture is turned by `a` and enlarged.
  const auto edgeAt = [&](int i, const Vec3& a, int k, Vec2& plate) {
    const int f = frames[static_cast<size_t>(i)];
    Path one;
    one.looks[f] = path.looks.at(f);
    one.looks[f].rotation = turnOf(a);
    return toPlate(s, one, f, middle + (edgeOf(size, k) - middle) / by, plate);
  };
  const Vec3 unit(s.cameraAt(frames.front()).fx, s.cameraAt(frames.front()).fy, s.height / 2.0);  // px to a radian
  std::vector<Vec3> now = own;
  if (s.steady.level)
    for (auto& a : now) a[2] = 0;
  double margin = 0.25;  // px
  for (int round = 0; round < 4; ++round) {
    // Columns: the angles, in pixels off `own`; then what each difference is at most.
    const int angles = kAxes * n, columns = angles + 3 * angles;
    Rows rows(columns);
    std::vector<double> low(static_cast<size_t>(columns), 0), high(static_cast<size_t>(columns), COIN_DBL_MAX),
        costs(static_cast<size_t>(columns), 0);
    const auto at = [](int i, int axis) { return kAxes * i + axis; };
    for (int i = 0; i < n; ++i)
      for (int axis = 0; axis < kAxes; ++axis) {
        const auto c = static_cast<size_t>(at(i, axis));
        low[c] = -COIN_DBL_MAX;
        if (axis == 2 && s.steady.level) low[c] = high[c] = -own[static_cast<size_t>(i)][2] * unit[2];
      }
    static constexpr std::array<double, 3> kWeights = {10, 1, 100};
    for (int axis = 0; axis < kAxes; ++axis)
      for (int i = 0; i < n; ++i) {
        const auto from = [&](int k) {
          return own.at(static_cast<size_t>(i) + static_cast<size_t>(k))[axis] * unit[axis];
        };
        for (int order = 1; order <= 3; ++order) {
          const int bound = angles + (order - 1) * angles + at(i, axis);
          if (i + order >= n || frameAt(i + order) != frameAt(i) + order) continue;
          costs[static_cast<size_t>(bound)] = kWeights[static_cast<size_t>(order - 1)];
          const int a = at(i, axis), b = at(i + 1, axis);
          double fixed = 0;
          for (const double sign : {1.0, -1.0}) {
            // sign * difference(own + offset) <= bound
            if (order == 1) {
              fixed = from(1) - from(0);
              rows.add({{b, sign}, {a, -sign}, {bound, -1}}, -COIN_DBL_MAX, -sign * fixed);
            } else if (order == 2) {
              fixed = from(2) - 2 * from(1) + from(0);
              rows.add({{at(i + 2, axis), sign}, {b, -2 * sign}, {a, sign}, {bound, -1}}, -COIN_DBL_MAX, -sign * fixed);
            } else {
              fixed = from(3) - 3 * from(2) + 3 * from(1) - from(0);
              rows.add({{at(i + 3, axis), sign}, {at(i + 2, axis), -3 * sign}, {b, 3 * sign}, {a, -sign}, {bound, -1}},
                       -COIN_DBL_MAX, -sign * fixed);
            }
          }
        }
      }
    for (int i = 0; i < n; ++i)
      for (int k = 0; k < kEdge; ++k) {
        Vec2 here;
        const Vec3& a = now[static_cast<size_t>(i)];
        if (!edgeAt(i, a, k, here)) continue;
        Eigen::Matrix<double, 2, 3> by1;
        for (int axis = 0; axis < kAxes; ++axis) {
          Vec3 moved = a;
          constexpr double kBit = 1e-5;
          moved[axis] += kBit;
          Vec2 there;
          if (!edgeAt(i, moved, k, there)) there = here;
          by1.col(axis) = (there - here) / kBit / unit[axis];
        }
        // plate = here + by1 * (own + offset - now)
        const Vec3 away = (own[static_cast<size_t>(i)] - a).cwiseProduct(unit);
        for (int d = 0; d < 2; ++d) {
          const double base = here[d] + by1.row(d).dot(away);
          rows.add({{at(i, 0), by1(d, 0)}, {at(i, 1), by1(d, 1)}, {at(i, 2), by1(d, 2)}}, margin - base,
                   size[d] - margin - base);
        }
      }
    ClpSimplex lp;
    lp.setLogLevel(0);
    rows.loadInto(lp, low, high, costs);
    ClpSolve how;
    how.setSolveType(ClpSolve::useDual), how.setPresolveType(ClpSolve::presolveOn);
    lp.initialSolve(how);
    if (lp.isProvenOptimal()) {
      const double* x = lp.primalColumnSolution();
      for (int i = 0; i < n; ++i)
        for (int axis = 0; axis < kAxes; ++axis)
          now[static_cast<size_t>(i)][axis] = own[static_cast<size_t>(i)][axis] + x[at(i, axis)] / unit[axis];
    }
    for (int i = 0; i < n; ++i)
      path.looks[frames[static_cast<size_t>(i)]].rotation = turnOf(now[static_cast<size_t>(i)]);
    if (leastEnlargement(s, path) <= by) break;
    margin += 0.25;
  }
  // What is linear is not all: where an edge still shows, all turns go back towards the camera's own until none does.
  const auto wished = path.looks;
  double part = 1;
  for (int i = 0; i < 400 && leastEnlargement(s, path) > by; ++i) {
    part *= 0.97;
    for (auto& [f, c] : path.looks) {
      const Eigen::Quaterniond from(begin.at(f)), to(wished.at(f).rotation);
      c.rotation = from.slerp(part, to).toRotationMatrix();
    }
  }
  std::map<int, Mat3> out;
  for (const auto& [f, c] : path.looks) out[f] = c.rotation;
  return out;
}

}  // namespace zentil::steady
