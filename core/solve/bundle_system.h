#pragma once
#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <atomic>
#include <cmath>
#include <memory>
#include <vector>

#include "core/base/in_order.h"
#include "core/base/job.h"
#include "core/base/parallel.h"
#include "core/solve/bundle.h"
#include "core/solve/envelope.h"
#include "core/solve/point_batches.h"
#include "core/solve/slope.h"

namespace zentil::solve {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Huber 1964: what a residual costs, of its square; beyond delta it grows with the residual alone.
inline double huber(double rr, double delta) {
  const double r = std::sqrt(rr);
  return r <= delta ? rr : delta * (2 * r - delta);
}

inline Mat3 turnBy(const Vec3& w) {
  const double a = w.norm();
  return a < 1e-15 ? Mat3::Identity() : Mat3(Eigen::AngleAxisd(a, w / a));
}

/// What a sight that does not land costs: more than any that does.
constexpr double kMissed = 1e6;

// What holds a value that is not free: large beside what observations say (some 1e2 to 1e8 at a weight of one), small
// enough that a sum with it keeps their digits in double precision.
constexpr double kFirstViewHeld = 1e14;  ///< added to the first view's diagonal
constexpr double kPlaneHeld = 1e9;       ///< times a point's own, across its plane
/// Keeps a value that nothing says anything about from dividing by zero.
constexpr double kLeastDiagonal = 1e-10;
constexpr double kLeastOfPoint = 1e-12;  ///< of what a point's observations say

/// Normal equations of views with `B` free values each: zoom (if zooming), turn, place (unless turning).
template <int B>
class Bundle {
 public:
  using MatB3 = Eigen::Matrix<double, B, 3>;

  Bundle(const std::vector<View>& views, const Intrinsics& inner, const std::vector<Vec3>& points,
         const std::vector<Observation>& sights, const BundleSettings& q, const Job& job)
      : views_(views), inner_(inner), points_(points), sights_(sights), q_(q), job_(job), byPoint_(points.size()) {
    for (size_t i = 0; i < sights.size(); ++i)
      byPoint_[static_cast<size_t>(sights[i].point)].push_back(static_cast<int>(i));
    for (size_t k = 0; k < kInner; ++k)
      if (q.frees()[k]) free_.push_back(static_cast<int>(k));
    batches_ = batchesOf(byPoint_, sights);
    std::vector<int> first(views.size());
    for (size_t i = 0; i < first.size(); ++i) first[i] = static_cast<int>(i);
    for (const auto& list : byPoint_)
      for (const int i : list) {
        int& f = first[static_cast<size_t>(sights[static_cast<size_t>(i)].view)];
        f = std::min(f, sights[static_cast<size_t>(list.front())].view);
      }
    system_ = std::make_unique<Envelope>(first, B, static_cast<int>(free_.size()));
    b_ = VectorXd::Zero(system_->size());
    back_.resize(points.size()), gradient_.resize(points.size());
    cross_.resize(sights.size()), crossInner_.resize(points.size());
  }

  double cost(const std::vector<View>& views, const Intrinsics& inner, const std::vector<Vec3>& points) const {
    double sum = 0;
    const auto values = valuesOf(inner);
    for (const int k : free_) {
      const auto i = static_cast<size_t>(k);
      sum += q_.priorWeight[i] * std::pow(values[i] - q_.priorMean[i], 2);
    }
    // Piece by piece, and then in their order: sums are the same whatever threads there are.
    constexpr size_t kPiece = 1024;
    const size_t n = sights_.size();
    std::vector<double> pieces((n + kPiece - 1) / kPiece, 0);
    parallelRanges(0, static_cast<int>(pieces.size()), 1, [&](int first, int last) {
      for (int piece = first; piece < last; ++piece) {
        const size_t from = static_cast<size_t>(piece) * kPiece;
        double& own = pieces[static_cast<size_t>(piece)];
        for (size_t k = from; k < std::min(from + kPiece, n); ++k) {
          const Observation& s = sights_[k];
          Vec2 at;
          const bool lands =
              inner.project(views[static_cast<size_t>(s.view)], points[static_cast<size_t>(s.point)], at);
          own += s.weight * (lands ? huber((at - s.at).squaredNorm(), q_.huberPx) : kMissed);
        }
      }
    });
    for (const double own : pieces) sum += own;
    return sum;
  }

  /// The reduced system and its right side where views, inner values and points stand.
  void assemble(double damping) {
    system_->clear();
    b_.setZero();
    std::atomic<size_t> next = 0;
    InOrder sums;
    // Threads take batches in turn: they are of unlike size. Each is added when those before it are.
    constexpr int kTakers = 8;  // more threads than that wait for each other
    parallelRanges(0, kTakers, 1, [&](int, int) {
      for (size_t k = next++; k < batches_.size() && !job_.stopped(); k = next++) addBatch(k, damping, sums);
    });
    job_.checkpoint();
    const auto values = valuesOf(inner_);
    for (size_t x = 0; x < free_.size(); ++x) {
      const auto k = static_cast<size_t>(free_[x]);
      const int at = B * static_cast<int>(views_.size()) + static_cast<int>(x);
      system_->diagonal(at) += q_.priorWeight[k];
      b_[at] += q_.priorWeight[k] * (values[k] - q_.priorMean[k]);
    }
  }

  MatrixXd dense() const { return system_->dense(); }
  const VectorXd& gradient() const { return b_; }

  /// Brings the inner values to where the sights are best met while views and points stay. A focal length that is
  /// weakly known goes along with how deep the world is, and their product is what counts: steps of both that are right
  /// to first order miss by the product of their changes, which turned all but the smallest steps down.
  void settleInner(const std::vector<View>& views, Intrinsics& inner, const std::vector<Vec3>& points) const {
    if (free_.empty()) return;
    const long n = static_cast<long>(free_.size());
    constexpr int kRounds = 2, kPieces = 16;
    for (int round = 0; round < kRounds; ++round) {
      // Piece by piece, and then in their order: sums are the same whatever threads there are.
      std::vector<MatrixXd> h(kPieces, MatrixXd::Zero(n, n));
      std::vector<VectorXd> g(kPieces, VectorXd::Zero(n));
      parallelRanges(0, kPieces, 1, [&](int first, int last) {
        for (int piece = first; piece < last; ++piece) {
          const auto m = static_cast<size_t>(piece);
          for (size_t k = sights_.size() * m / kPieces; k < sights_.size() * (m + 1) / kPieces; ++k) {
            const Observation& s = sights_[k];
            Slope d;
            if (!slopesAt(views[static_cast<size_t>(s.view)], inner, points[static_cast<size_t>(s.point)], s.at, d))
              continue;
            const double r = d.residual.norm(), weight = s.weight * (r <= q_.huberPx ? 1 : q_.huberPx / r);
            Eigen::Matrix<double, 2, Eigen::Dynamic, 0, 2, kInner> j(2, n);
            for (long x = 0; x < n; ++x) j.col(x) = d.inner.col(free_[static_cast<size_t>(x)]);
            h[m].noalias() += weight * j.transpose() * j;
            g[m].noalias() += weight * j.transpose() * d.residual;
          }
        }
      });
      for (size_t m = 1; m < kPieces; ++m) h[0] += h[m], g[0] += g[m];
      const auto values = valuesOf(inner);
      for (long x = 0; x < n; ++x) {
        const auto k = static_cast<size_t>(free_[static_cast<size_t>(x)]);
        h[0](x, x) += q_.priorWeight[k], g[0][x] += q_.priorWeight[k] * (values[k] - q_.priorMean[k]);
      }
      const VectorXd step = h[0].ldlt().solve(g[0]);
      if (!step.allFinite() || (free_[0] == 0 && !(inner.f - step[0] > 0))) return;
      for (long x = 0; x < n; ++x) value(inner, static_cast<size_t>(free_[static_cast<size_t>(x)])) -= step[x];
    }
  }

  /// Brings points that a step left worse than they were to where their sights are best met, each by itself while the
  /// views stay (embedded point iterations: Jeong, Nister, Steedly, Szeliski and Kweon, "Pushing the Envelope of Modern
  /// Methods for Bundle Adjustment", PAMI 34, 2012). Points near the way of a camera that moves ahead have next to no
  /// parallax: one of them that a step throws behind the camera would else turn the whole step down, and a weak value
  /// such as the focal length would creep.
  void settlePoints(const std::vector<View>& views, const Intrinsics& inner, std::vector<Vec3>& points) const {
    if (q_.fixPoints || q_.turning || keepsPlane()) return;
    parallelRanges(0, static_cast<int>(points.size()), 64, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const auto p = static_cast<size_t>(k);
        if (byPoint_[p].empty()) continue;
        const double before = costOf(p, views_, inner_, points_[p]);
        if (double now = costOf(p, views, inner, points[p]); now > before) {
          if (const double kept = costOf(p, views, inner, points_[p]); kept < now) points[p] = points_[p], now = kept;
          settle(p, views, inner, points[p], now);
        }
      }
    });
  }

  /// One damped step; false when the system cannot be solved.
  bool step(double damping, std::vector<View>& views, Intrinsics& inner, std::vector<Vec3>& points) {
    assemble(damping);
    // Marquardt's damping, on what the views' own sights say, would need the undamped diagonal; what is left after
    // elimination serves as well and keeps the free size of the world in place.
    for (int i = 0; i < system_->size(); ++i)
      system_->diagonal(i) = system_->diagonal(i) * (1 + damping) + kLeastDiagonal;
    if (!keepsPlane())
      for (int i = kZoom; i < B; ++i) system_->diagonal(i) += kFirstViewHeld;
    if (!system_->factor()) return false;
    job_.checkpoint();
    const VectorXd x = system_->solve(b_);
    if (!x.allFinite()) return false;
    views = views_, inner = inner_, points = points_;
    for (size_t i = 0; i < views.size(); ++i) {
      View& v = views[i];
      const Eigen::Matrix<double, B, 1> d = x.segment<B>(B * static_cast<long>(i));
      if (kZoom) v.zoom *= std::exp(-d[0]);
      v.turn = turnBy(-d.template segment<3>(kZoom)) * v.turn;
      if constexpr (B >= 6) v.place -= d.template tail<3>();
    }
    const long at = B * static_cast<long>(views.size());
    for (size_t k = 0; k < free_.size(); ++k)
      value(inner, static_cast<size_t>(free_[k])) -= x[at + static_cast<long>(k)];
    if (!(inner.f > 0 && inner.tall > 0)) return false;
    if (q_.lensZooms)
      for (View& v : views) inner.putLens(v);
    if (!q_.fixPoints)
      for (size_t p = 0; p < points_.size(); ++p) {
        if (byPoint_[p].empty()) continue;
        Vec3 g = gradient_[p];
        for (const int i : byPoint_[p])
          g -= cross_[static_cast<size_t>(i)].transpose() * x.segment<B>(B * sights_[static_cast<size_t>(i)].view);
        g -= crossInner_[p].transpose() * x.tail(static_cast<long>(free_.size()));
        points[p] -= back_[p] * (back_[p].transpose() * g);
      }
    return true;
  }

 private:
  static constexpr int kZoom = B % 3;       ///< free values before turn
  static constexpr int kFirst = 1 - kZoom;  ///< of the seven that a view has
  using Inner3 = Eigen::Matrix<double, Eigen::Dynamic, 3, 0, kInner, 3>;

  bool keepsPlane() const { return q_.normal != Vec3::Zero(); }

  /// What the sights of one point cost, seen by views.
  double costOf(size_t p, const std::vector<View>& views, const Intrinsics& inner, const Vec3& point) const {
    double sum = 0;
    for (const int i : byPoint_[p]) {
      const Observation& s = sights_[static_cast<size_t>(i)];
      Vec2 at;
      const bool lands = inner.project(views[static_cast<size_t>(s.view)], point, at);
      sum += s.weight * (lands ? huber((at - s.at).squaredNorm(), q_.huberPx) : kMissed);
    }
    return sum;
  }

  /// A few damped steps of one point; `cost` is that of where it stands.
  void settle(size_t p, const std::vector<View>& views, const Intrinsics& inner, Vec3& point, double cost) const {
    constexpr int kRounds = 4;
    constexpr double kEnough = 1e-3;  // of its cost; the next step of all goes on from there
    constexpr double kFirstDamping = 1e-3, kWorse = 30, kBetter = 10;  // three errors and it is all but a slope's step
    double damping = kFirstDamping;
    for (int round = 0; round < kRounds; ++round) {
      Mat3 v = Mat3::Zero();
      Vec3 g = Vec3::Zero();
      for (const int i : byPoint_[p]) {
        const Observation& s = sights_[static_cast<size_t>(i)];
        Slope d;
        if (!slopesAt(views[static_cast<size_t>(s.view)], inner, point, s.at, d)) continue;
        const double r = d.residual.norm(), weight = s.weight * (r <= q_.huberPx ? 1 : q_.huberPx / r);
        v += weight * d.point.transpose() * d.point, g += weight * d.point.transpose() * d.residual;
      }
      v.diagonal() *= 1 + damping;
      const Vec3 next = point - v.ldlt().solve(g);
      const double c = next.allFinite() ? costOf(p, views, inner, next) : cost;
      if (!(c < cost)) {
        damping *= kWorse;
        continue;
      }
      const bool done = cost - c < kEnough * cost;
      point = next, cost = c, damping /= kBetter;
      if (done) break;
    }
  }

  void addBatch(size_t which, double damping, InOrder& sums) {
    const PointBatch& batch = batches_[which];
    const int ni = static_cast<int>(free_.size()), rows = B * (batch.hi - batch.lo + 1),
              columns = q_.fixPoints ? 0 : 3 * static_cast<int>(batch.points.size());
    // The large ones lie in memory that the thread keeps: asking the system for it anew took a third of long solves.
    thread_local std::vector<double> kept, keptSquare;
    const auto zeros = [](std::vector<double>& memory, int r, int c) {
      const size_t size = static_cast<size_t>(r) * static_cast<size_t>(c);
      if (memory.size() < size) memory.resize(size);
      Eigen::Map<MatrixXd> out(memory.data(), r, c);
      out.setZero();
      return out;
    };
    Eigen::Map<MatrixXd> u = zeros(kept, rows, columns), s = zeros(keptSquare, rows, rows);
    MatrixXd ui = MatrixXd::Zero(ni, columns), border = MatrixXd::Zero(ni, rows), corner = MatrixXd::Zero(ni, ni);
    VectorXd b = VectorXd::Zero(rows), bi = VectorXd::Zero(ni), g = VectorXd::Zero(columns);
    for (size_t m = 0; m < batch.points.size(); ++m) {
      const auto k = static_cast<size_t>(batch.points[m]);
      Mat3 v = Mat3::Zero();
      Vec3 own = Vec3::Zero();
      Inner3 all = Inner3::Zero(ni, 3);
      for (const int i : byPoint_[k]) {
        const Observation& sight = sights_[static_cast<size_t>(i)];
        MatB3& cross = cross_[static_cast<size_t>(i)];
        Slope d;
        if (!slopesAt(views_[static_cast<size_t>(sight.view)], inner_, points_[k], sight.at, d)) {
          cross.setZero();
          continue;
        }
        const double r = d.residual.norm();
        const double weight = sight.weight * (r <= q_.huberPx ? 1 : q_.huberPx / r);
        const int row = B * (sight.view - batch.lo);
        const Eigen::Matrix<double, 2, B> jv = d.view.template middleCols<B>(kFirst);
        const Eigen::Matrix<double, B, 2> jvw = weight * jv.transpose();
        s.block<B, B>(row, row).noalias() += jvw * jv;
        b.segment<B>(row).noalias() += jvw * d.residual;
        for (int x = 0; x < ni; ++x) {
          const Vec2 jx = weight * d.inner.col(free_[static_cast<size_t>(x)]);
          border.block<1, B>(x, row).noalias() += jx.transpose() * jv;
          bi[x] += jx.dot(d.residual);
          all.row(x) += jx.transpose() * d.point;
          for (int y = 0; y <= x; ++y) corner(x, y) += jx.dot(d.inner.col(free_[static_cast<size_t>(y)]));
        }
        if (q_.fixPoints) continue;
        v += weight * d.point.transpose() * d.point;
        own += weight * d.point.transpose() * d.residual;
        cross.noalias() = jvw * d.point;
      }
      if (q_.fixPoints) continue;
      v.diagonal() *= 1 + damping;
      v.diagonal().array() += kLeastOfPoint * std::max(v.trace(), kLeastOfPoint);
      // Seen from one place, a point may lie anywhere on its ray: it keeps its distance.
      if (q_.turning) v += v.trace() * points_[k].normalized() * points_[k].normalized().transpose();
      if (keepsPlane()) v += kPlaneHeld * v.trace() * q_.normal * q_.normal.transpose();
      // v^-1 = back back^T
      const Eigen::LLT<Mat3> llt(v);
      Mat3 back = Mat3::Zero();
      if (llt.info() == Eigen::Success) back = Mat3(llt.matrixL()).inverse().transpose();
      if (!back.allFinite()) back.setZero();
      back_[k] = back, gradient_[k] = own, crossInner_[k] = all;
      const int at = 3 * static_cast<int>(m);
      for (const int i : byPoint_[k]) {
        const auto w = static_cast<size_t>(i);
        u.block<B, 3>(B * (sights_[w].view - batch.lo), at).noalias() = cross_[w] * back;
      }
      ui.middleCols<3>(at) = all * back;
      g.segment<3>(at) = back.transpose() * own;
    }
    if (columns) {
      s.selfadjointView<Eigen::Lower>().rankUpdate(u, -1.0);
      border.noalias() -= ui * u.transpose();
      corner.noalias() -= ui * ui.transpose();
      b.noalias() -= u * g;
      bi.noalias() -= ui * g;
    }
    const auto addAll = [this, rows, ni, lo = batch.lo](const auto& square, const MatrixXd& side, const MatrixXd& last,
                                                        const VectorXd& right, const VectorXd& rightInner) {
      system_->add(lo, square);
      system_->addBorder(lo, side);
      system_->addCorner(last);
      b_.segment(B * lo, rows) += right;
      b_.tail(ni) += rightInner;
    };
    sums.put(
        which, [&] { addAll(s, border, corner, b, bi); },
        [&]() -> std::function<void()> {
          return [addAll, square = MatrixXd(s), border, corner, b, bi] { addAll(square, border, corner, b, bi); };
        });
  }

  const std::vector<View>& views_;
  const Intrinsics& inner_;
  const std::vector<Vec3>& points_;
  const std::vector<Observation>& sights_;
  const BundleSettings& q_;
  const Job& job_;
  std::vector<std::vector<int>> byPoint_;
  std::vector<PointBatch> batches_;
  std::vector<int> free_;
  std::unique_ptr<Envelope> system_;
  VectorXd b_;
  std::vector<Mat3> back_;
  std::vector<Vec3> gradient_;
  std::vector<MatB3> cross_;
  std::vector<Inner3> crossInner_;
};

}  // namespace zentil::solve
