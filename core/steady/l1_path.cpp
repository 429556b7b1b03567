#include "core/steady/l1_path.h"

#include <fmt/format.h>

#include <ClpSimplex.hpp>
#include <ClpSolve.hpp>
#include <CoinPackedMatrix.hpp>
#include <Eigen/Geometry>
#include <array>
#include <cmath>
#include <optional>

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
  void add(const std::vector<std::pair<int, double>>& terms, double low, double high) {
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

/// What is asked: turns as pan, tilt and roll, frame by frame, and what the picture may be enlarged by.
struct Question {
  const shot::Shot& shot;
  std::vector<int> frames;
  std::vector<Vec3> own;  ///< radians, without jumps
  Vec3 unit;              ///< pixels to a radian, about
  double by = 1;

  int count() const { return static_cast<int>(frames.size()); }
  Vec2 size() const { return {shot.width, shot.height}; }
  /// Whether frames i to i + order follow one another.
  bool goesOn(int i, int order) const {
    return i + order < count() && frames[static_cast<size_t>(i + order)] == frames[static_cast<size_t>(i)] + order;
  }
  /// Columns: the angles, in pixels off the own ones; then what each difference is at most.
  static int angle(int i, int axis) { return kAxes * i + axis; }
  int bound(int order, int i, int axis) const { return order * kAxes * count() + angle(i, axis); }
  int columns() const { return (1 + kOrders) * kAxes * count(); }
  static constexpr int kOrders = 3;
};

/// Rows that hold each difference of angles below its bound, on both sides.
void addDifferences(const Question& q, Rows& rows, std::vector<double>& costs) {
  static constexpr std::array<double, Question::kOrders> kWeights = {10, 1, 100};
  static constexpr std::array<std::array<int, 4>, Question::kOrders> kBinomial = {
      {{-1, 1, 0, 0}, {1, -2, 1, 0}, {-1, 3, -3, 1}}};
  for (int axis = 0; axis < kAxes; ++axis)
    for (int i = 0; i < q.count(); ++i)
      for (int order = 1; order <= Question::kOrders && q.goesOn(i, order); ++order) {
        const auto& sign = kBinomial[static_cast<size_t>(order - 1)];
        const int bound = q.bound(order, i, axis);
        costs[static_cast<size_t>(bound)] = kWeights[static_cast<size_t>(order - 1)];
        double own = 0;
        for (int k = 0; k <= order; ++k)
          own += sign[static_cast<size_t>(k)] * q.own[static_cast<size_t>(i + k)][axis] * q.unit[axis];
        for (const int side : {1, -1}) {
          std::vector<std::pair<int, double>> terms = {{bound, -1}};
          for (int k = 0; k <= order; ++k)
            terms.emplace_back(Question::angle(i + k, axis), side * sign[static_cast<size_t>(k)]);
          rows.add(terms, -COIN_DBL_MAX, -side * own);
        }
      }
}

/// Rows that hold the picture's edge within the plate, made linear around the angles `now`.
void addEdges(const Question& q, const std::vector<Vec3>& now, double margin, Rows& rows) {
  const Vec2 middle = q.size() / 2;
  for (int i = 0; i < q.count(); ++i) {
    const auto n = static_cast<size_t>(i);
    Path one;
    camera::Camera& look = one.looks[q.frames[n]] = q.shot.cameraAt(q.frames[n]);
    const auto edgeAt = [&](const Vec3& angles, int k, Vec2& plate) {
      look.rotation = turnOf(angles);
      return toPlate(q.shot, one, q.frames[n], middle + (edgeOf(q.size(), k) - middle) / q.by, plate);
    };
    for (int k = 0; k < kEdge; ++k) {
      Vec2 here;
      if (!edgeAt(now[n], k, here)) continue;
      Eigen::Matrix<double, 2, kAxes> change;  // pixels on the plate for one pixel's turn
      for (int axis = 0; axis < kAxes; ++axis) {
        constexpr double kBit = 1e-5;
        Vec3 moved = now[n];
        moved[axis] += kBit;
        Vec2 there;
        change.col(axis) = edgeAt(moved, k, there) ? Vec2((there - here) / kBit / q.unit[axis]) : Vec2(Vec2::Zero());
      }
      const Vec3 away = (q.own[n] - now[n]).cwiseProduct(q.unit);
      for (int d = 0; d < 2; ++d) {
        const double base = here[d] + change.row(d).dot(away);
        rows.add({{Question::angle(i, 0), change(d, 0)},
                  {Question::angle(i, 1), change(d, 1)},
                  {Question::angle(i, 2), change(d, 2)}},
                 margin - base, q.size()[d] - margin - base);
      }
    }
  }
}

/// The angles of the least sum of differences; none where the program has no answer.
std::optional<std::vector<Vec3>> solved(const Question& q, const std::vector<Vec3>& around, double margin) {
  const auto columns = static_cast<size_t>(q.columns());
  Rows rows(q.columns());
  std::vector<double> low(columns, 0), high(columns, COIN_DBL_MAX), costs(columns, 0);
  for (int i = 0; i < q.count(); ++i)
    for (int axis = 0; axis < kAxes; ++axis) {
      const auto c = static_cast<size_t>(Question::angle(i, axis));
      low[c] = -COIN_DBL_MAX;
      if (axis == 2 && q.shot.steady.level) low[c] = high[c] = -q.own[static_cast<size_t>(i)][axis] * q.unit[axis];
    }
  addDifferences(q, rows, costs);
  addEdges(q, around, margin, rows);
  ClpSimplex lp;
  lp.setLogLevel(0);
  rows.loadInto(lp, low, high, costs);
  ClpSolve how;
  how.setSolveType(ClpSolve::useDual), how.setPresolveType(ClpSolve::presolveOn);
  lp.initialSolve(how);
  if (!lp.isProvenOptimal()) return std::nullopt;
  const double* x = lp.primalColumnSolution();
  std::vector<Vec3> out = q.own;
  for (int i = 0; i < q.count(); ++i)
    for (int axis = 0; axis < kAxes; ++axis)
      out[static_cast<size_t>(i)][axis] += x[Question::angle(i, axis)] / q.unit[axis];
  return out;
}

}  // namespace

std::map<int, Mat3> inRuns(const shot::Shot& s, const std::map<int, Mat3>& turns) {
  const camera::Camera first = s.cameraAt(turns.begin()->first);
  Question q{s, {}, {}, Vec3(first.fx, first.fy, s.height / 2.0), s.steady.maxZoom};
  Path path;
  std::map<int, Mat3> begin;  // the camera's own turns, level where that is asked
  std::vector<Vec3> now;
  for (const auto& [f, r] : turns) {
    Vec3 a = anglesOf(r);
    if (!q.own.empty())
      for (const int k : {0, 2}) a[k] += kTurn * std::round((q.own.back()[k] - a[k]) / kTurn);
    q.frames.push_back(f), q.own.push_back(a);
    if (s.steady.level) a[2] = 0;
    now.push_back(a);
    begin[f] = turnOf(a);
    path.looks[f] = s.cameraAt(f);
    path.looks[f].rotation = begin[f];
  }
  if (const double least = leastEnlargement(s, path); least > q.by)
    throw Error(fmt::format("the picture has to be enlarged {:.3f} times for the camera's own turns already", least),
                "Allow more, or leave the edges transparent");
  // So much of the way from the camera's own turns to those that were found.
  const auto turnBy = [&](double part) {
    size_t i = 0;
    for (auto& [f, look] : path.looks)
      look.rotation =
          Eigen::Quaterniond(begin.at(f)).slerp(part, Eigen::Quaterniond(turnOf(now[i++]))).toRotationMatrix();
    return leastEnlargement(s, path) <= q.by;
  };
  bool within = false;
  for (int round = 1; round <= 4 && !within; ++round) {
    constexpr double kMarginPx = 0.25;
    if (const auto found = solved(q, now, round * kMarginPx)) now = *found;
    within = turnBy(1);
  }
  // What is linear is not all: where an edge still shows, all go back as far as none does.
  double low = 0, high = 1;
  for (int i = 0; i < 12 && !within; ++i) (turnBy((low + high) / 2) ? low : high) = (low + high) / 2;
  if (!within) turnBy(low);
  std::map<int, Mat3> out;
  for (const auto& [f, c] : path.looks) out[f] = c.rotation;
  return out;
}

}  // namespace zentil::steady
