#include "core/solve/bundle.h"

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>
#include <mutex>

#include "core/base/parallel.h"

namespace zentil::solve {
namespace {

using Mat6 = Eigen::Matrix<double, 6, 6>;
using Mat26 = Eigen::Matrix<double, 2, 6>;
using Mat23 = Eigen::Matrix<double, 2, 3>;
using Mat25 = Eigen::Matrix<double, 2, 5>;
using Mat63 = Eigen::Matrix<double, 6, 3>;
using Mat53 = Eigen::Matrix<double, 5, 3>;
using Vec5 = Eigen::Matrix<double, 5, 1>;
using Vec6 = Eigen::Matrix<double, 6, 1>;

/// One residual and how it changes with view, point and inner values (f, cx, cy, k1, k2).
struct Slope {
  Vec2 residual;
  Mat26 view;
  Mat23 point;
  Mat25 inner;
};

bool slopeOf(const View& v, const Inner& c, const Vec3& world, const Vec2& seen, Slope& s) {
  const Vec3 y = v.turn * world, p = y + v.place;
  if (!(p.z() > 1e-9)) return false;
  const double iz = 1 / p.z(), nx = p.x() * iz, ny = p.y() * iz, rr = nx * nx + ny * ny;
  const double radial = 1 + rr * (c.k1 + rr * c.k2), slope = 2 * (c.k1 + 2 * c.k2 * rr);
  if (!(1 + rr * (3 * c.k1 + 5 * c.k2 * rr) > 0)) return false;
  const double fy = c.f * c.tall;
  s.residual = Vec2(c.cx + c.f * nx * radial, c.cy + fy * ny * radial) - seen;
  Mat2 bent;  // d(plate) / d(nx, ny)
  bent << c.f * (radial + slope * nx * nx), c.f * slope * nx * ny, fy * slope * nx * ny,
      fy * (radial + slope * ny * ny);
  Mat23 pinhole;
  pinhole << iz, 0, -nx * iz, 0, iz, -ny * iz;
  const Mat23 d = bent * pinhole;
  Mat3 cross;
  cross << 0, -y.z(), y.y(), y.z(), 0, -y.x(), -y.y(), y.x(), 0;
  s.view.leftCols<3>() = -d * cross;
  s.view.rightCols<3>() = d;
  s.point = d * v.turn;
  s.inner << nx * radial, 1, 0, c.f * nx * rr, c.f * nx * rr * rr, c.tall * ny * radial, 0, 1, fy * ny * rr,
      fy * ny * rr * rr;
  return true;
}

double huber(double rr, double delta) {
  const double r = std::sqrt(rr);
  return r <= delta ? rr : delta * (2 * r - delta);
}

Mat3 turnBy(const Vec3& w) {
  const double a = w.norm();
  return a < 1e-15 ? Mat3::Identity() : Mat3(Eigen::AngleAxisd(a, w / a));
}

/// What a sight that does not land costs: more than any that does.
constexpr double kMissed = 1e6;

class Bundle {
 public:
  Bundle(std::vector<View>& views, Inner& inner, std::vector<Vec3>& points, const std::vector<Sight>& sights,
         const BundleQuestion& q)
      : views_(views), inner_(inner), points_(points), sights_(sights), q_(q), byPoint_(points.size()) {
    for (size_t i = 0; i < sights.size(); ++i)
      byPoint_[static_cast<size_t>(sights[i].point)].push_back(static_cast<int>(i));
    // In order of views, so that the lower half of the reduced system is met in order.
    for (auto& list : byPoint_)
      std::sort(list.begin(), list.end(), [&](int a, int b) {
        return sights[static_cast<size_t>(a)].view < sights[static_cast<size_t>(b)].view;
      });
    const bool asked[5] = {q.focal, q.centre, q.centre, q.k1, q.k2};
    for (int k = 0; k < 5; ++k)
      if (asked[k]) free_.push_back(k);
    size_ = 6 * static_cast<int>(views.size()) + static_cast<int>(free_.size());
  }

  double cost(const std::vector<View>& views, const Inner& inner, const std::vector<Vec3>& points) const {
    double sum = 0;
    const double values[5] = {inner.f, inner.cx, inner.cy, inner.k1, inner.k2};
    for (const int k : free_) {
      const auto i = static_cast<size_t>(k);
      sum += q_.pull[i] * std::pow(values[k] - q_.towards[i], 2);
    }
    for (const Sight& s : sights_) {
      Vec2 at;
      const auto& v = views[static_cast<size_t>(s.view)];
      const bool lands = inner.project(v.turn * points[static_cast<size_t>(s.point)] + v.place, at);
      sum += s.weight * (lands ? huber((at - s.at).squaredNorm(), q_.huberPx) : kMissed);
    }
    return sum;
  }

  /// One damped step; false when the system cannot be solved.
  bool step(double damping, std::vector<View>& views, Inner& inner, std::vector<Vec3>& points) {
    const int n = static_cast<int>(views_.size()), ni = static_cast<int>(free_.size()), at = 6 * n;
    Eigen::MatrixXd s = Eigen::MatrixXd::Zero(size_, size_);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(size_);
    std::vector<Mat3> back(points_.size());
    std::vector<Vec3> gradient(points_.size());
    std::vector<Mat63> w(sights_.size());
    std::vector<Eigen::Matrix<double, Eigen::Dynamic, 3, 0, 5, 3>> wi(points_.size());
    std::mutex mutex;
    parallelRanges(0, static_cast<int>(points_.size()), std::max(16, static_cast<int>(points_.size()) / 4),
                   [&](int first, int last) {
                     Eigen::MatrixXd own = Eigen::MatrixXd::Zero(size_, size_);
                     Eigen::VectorXd ownB = Eigen::VectorXd::Zero(size_);
                     for (int p = first; p < last; ++p) {
                       const auto k = static_cast<size_t>(p);
                       Mat3 v = Mat3::Zero();
                       Vec3 g = Vec3::Zero();
                       Mat53 all = Mat53::Zero();
                       for (const int i : byPoint_[k]) {
                         const Sight& sight = sights_[static_cast<size_t>(i)];
                         Mat63& cross = w[static_cast<size_t>(i)];
                         cross.setZero();
                         Slope d;
                         if (!slopeOf(views_[static_cast<size_t>(sight.view)], inner_, points_[k], sight.at, d))
                           continue;
                         const double r = d.residual.norm();
                         const double weight = sight.weight * (r <= q_.huberPx ? 1 : q_.huberPx / r);
                         const int row = 6 * sight.view;
                         own.block<6, 6>(row, row) += weight * d.view.transpose() * d.view;
                         ownB.segment<6>(row) += weight * d.view.transpose() * d.residual;
                         for (int x = 0; x < ni; ++x) {
                           const Vec2 jx = d.inner.col(free_[static_cast<size_t>(x)]);
                           own.block<1, 6>(at + x, row) += weight * jx.transpose() * d.view;
                           ownB[at + x] += weight * jx.dot(d.residual);
                           for (int y = 0; y <= x; ++y)
                             own(at + x, at + y) += weight * jx.dot(d.inner.col(free_[static_cast<size_t>(y)]));
                         }
                         if (q_.fixPoints) continue;
                         v += weight * d.point.transpose() * d.point;
                         g += weight * d.point.transpose() * d.residual;
                         cross = weight * d.view.transpose() * d.point;
                         all += weight * d.inner.transpose() * d.point;
                       }
                       if (q_.fixPoints) continue;
                       v.diagonal() *= 1 + damping;
                       v.diagonal().array() += 1e-12 * std::max(v.trace(), 1e-12);
                       back[k] = v.inverse();
                       gradient[k] = g;
                       if (!back[k].allFinite()) back[k].setZero();
                       wi[k].resize(ni, 3);
                       for (int x = 0; x < ni; ++x) wi[k].row(x) = all.row(free_[static_cast<size_t>(x)]);
                       const Vec3 inverseG = back[k] * g;
                       const Eigen::Matrix<double, Eigen::Dynamic, 3, 0, 5, 3> wiBack = wi[k] * back[k];
                       for (size_t a = 0; a < byPoint_[k].size(); ++a) {
                         const auto ia = static_cast<size_t>(byPoint_[k][a]);
                         const Mat63 wBack = w[ia] * back[k];
                         const int row = 6 * sights_[ia].view;
                         ownB.segment<6>(row) -= w[ia] * inverseG;
                         for (size_t c = 0; c <= a; ++c) {
                           const auto ic = static_cast<size_t>(byPoint_[k][c]);
                           own.block<6, 6>(row, 6 * sights_[ic].view).noalias() -= wBack * w[ic].transpose();
                         }
                         for (int x = 0; x < ni; ++x) own.block<1, 6>(at + x, row) -= wiBack.row(x) * w[ia].transpose();
                       }
                       ownB.tail(ni) -= wi[k] * inverseG;
                       own.bottomRightCorner(ni, ni).noalias() -= wiBack * wi[k].transpose();
                     }
                     const std::lock_guard lock(mutex);
                     s += own;
                     b += ownB;
                   });
    const double values[5] = {inner_.f, inner_.cx, inner_.cy, inner_.k1, inner_.k2};
    for (int x = 0; x < ni; ++x) {
      const auto k = static_cast<size_t>(free_[static_cast<size_t>(x)]);
      s(at + x, at + x) += q_.pull[k];
      b[at + x] += q_.pull[k] * (values[k] - q_.towards[k]);
    }
    // Marquardt's damping, on what the views' own sights say, would need the undamped diagonal; what is left after
    // elimination serves as well and keeps the free size of the world in place.
    for (int i = 0; i < size_; ++i) s(i, i) = s(i, i) * (1 + damping) + 1e-10;
    for (int i = 0; i < 6; ++i) s(i, i) += 1e14;  // the first view stays
    const Eigen::LLT<Eigen::MatrixXd> solver(s);  // of the lower half
    if (solver.info() != Eigen::Success) return false;
    const Eigen::VectorXd x = solver.solve(b);
    if (!x.allFinite()) return false;
    views = views_, inner = inner_, points = points_;
    for (int i = 0; i < n; ++i) {
      View& v = views[static_cast<size_t>(i)];
      const Vec6 d = x.segment<6>(6 * i);
      v.turn = turnBy(-d.head<3>()) * v.turn;
      v.place -= d.tail<3>();
    }
    for (int k = 0; k < ni; ++k) {
      double* const values[5] = {&inner.f, &inner.cx, &inner.cy, &inner.k1, &inner.k2};
      *values[free_[static_cast<size_t>(k)]] -= x[at + k];
    }
    if (!(inner.f > 0)) return false;
    if (!q_.fixPoints)
      for (size_t p = 0; p < points_.size(); ++p) {
        if (byPoint_[p].empty()) continue;
        Vec3 g = gradient[p];
        for (const int i : byPoint_[p])
          g -= w[static_cast<size_t>(i)].transpose() * x.segment<6>(6 * sights_[static_cast<size_t>(i)].view);
        g -= wi[p].transpose() * x.tail(ni);
        points[p] -= back[p] * g;
      }
    return true;
  }

 private:
  std::vector<View>& views_;
  Inner& inner_;
  std::vector<Vec3>& points_;
  const std::vector<Sight>& sights_;
  const BundleQuestion& q_;
  std::vector<std::vector<int>> byPoint_;
  std::vector<int> free_;
  int size_ = 0;
};

}  // namespace

bool Inner::project(const Vec3& p, Vec2& at) const {
  if (!(p.z() > 1e-9)) return false;
  const double x = p.x() / p.z(), y = p.y() / p.z(), rr = x * x + y * y;
  if (!(1 + rr * (3 * k1 + 5 * k2 * rr) > 0)) return false;
  const double radial = 1 + rr * (k1 + rr * k2);
  at = {cx + f * x * radial, cy + f * tall * y * radial};
  return true;
}

BundleReport refine(std::vector<View>& views, Inner& inner, std::vector<Vec3>& points, const std::vector<Sight>& sights,
                    const BundleQuestion& q, const Job& job) {
  Bundle bundle(views, inner, points, sights, q);
  double cost = bundle.cost(views, inner, points), damping = 1e-4;
  BundleReport out;
  std::vector<View> nextViews;
  Inner next;
  std::vector<Vec3> nextPoints;
  for (; out.rounds < q.rounds && damping < 1e10; ++out.rounds) {
    job.checkpoint();
    if (!bundle.step(damping, nextViews, next, nextPoints)) {
      damping *= 10;
      continue;
    }
    const double c = bundle.cost(nextViews, next, nextPoints);
    if (c < cost) {
      const bool done = cost - c < 1e-7 * cost;
      views = nextViews, inner = next, points = nextPoints;
      cost = c;
      damping = std::max(damping / 8, 1e-12);
      if (done) break;
    } else {
      damping *= 6;
    }
  }
  double sum = 0;
  size_t n = 0;
  for (const Sight& s : sights) {
    Vec2 at;
    const auto& v = views[static_cast<size_t>(s.view)];
    if (inner.project(v.turn * points[static_cast<size_t>(s.point)] + v.place, at))
      sum += (at - s.at).squaredNorm(), ++n;
  }
  out.rmsPx = n ? std::sqrt(sum / static_cast<double>(n)) : 0;
  return out;
}

}  // namespace zentil::solve
