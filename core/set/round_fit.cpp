#include "core/set/round_fit.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/least_squares.h"
#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::set {
namespace {

using Eigen::VectorXd;

/// A round body about a guess, by a few numbers; the last is its radius.
struct RoundBody {
  bool sphere = false;
  Vec3 centre, axis, across, along;  ///< of the guess: a place on it, its axis, and two directions square to it
  Vec3 centreAt(const double* v) const {
    return sphere ? Vec3(centre + Vec3(v[0], v[1], v[2])) : Vec3(centre + v[2] * across + v[3] * along);
  }
  Vec3 axisAt(const double* v) const { return (axis + v[0] * across + v[1] * along).normalized(); }
  int values() const { return sphere ? 4 : 5; }
  double beside(const double* v, const Vec3& p) const {
    const Vec3 d = p - centreAt(v);
    return (sphere ? d.norm() : d.cross(axisAt(v)).norm()) - v[values() - 1];
  }
};

struct Found {
  RoundBody body;
  VectorXd v;
  double cost = 1e300, sigma = 0;
};

/// From where it is; the standard error of the radius for distances of one metre.
void descend(Found& f, const std::vector<Vec3>& points, double beyond) {
  const auto distances = [&](const double* v, double* out) {
    for (const Vec3& p : points) *out++ = huber(f.body.beside(v, p), beyond);
    return true;
  };
  const auto found = leastSquares(distances, static_cast<int>(points.size()), f.v);
  f.v = found.at, f.cost = found.cost;
  f.sigma = std::sqrt(std::max(0.0, found.covariance(f.v.size() - 1, f.v.size() - 1)));
}

/// The circle through points of a plane with the least algebraic distance (Kasa 1976): centre and radius.
Vec3 circleThrough(const std::vector<Vec2>& q) {
  Mat3 a = Mat3::Zero();
  Vec3 b = Vec3::Zero();
  for (const Vec2& p : q) {
    const Vec3 row(2 * p.x(), 2 * p.y(), 1);
    a += row * row.transpose(), b += row * p.squaredNorm();
  }
  const Vec3 x = solveSymmetric(a, b);
  return {x.x(), x.y(), std::sqrt(std::max(0.0, x.z() + x.x() * x.x() + x.y() * x.y()))};
}

Found startAlong(const Vec3& axis, const Vec3& middle, const std::vector<Vec3>& points) {
  Found f;
  f.body.axis = axis.normalized();
  f.body.across = f.body.axis.unitOrthogonal(), f.body.along = f.body.axis.cross(f.body.across);
  std::vector<Vec2> q;
  q.reserve(points.size());
  for (const Vec3& p : points) q.emplace_back(f.body.across.dot(p - middle), f.body.along.dot(p - middle));
  const Vec3 circle = circleThrough(q);
  f.body.centre = middle + circle.x() * f.body.across + circle.y() * f.body.along;
  f.v = VectorXd::Zero(5);
  f.v[4] = circle.z();
  return f;
}

BodyFit fitted(std::vector<Found> starts, const std::vector<Vec3>& points) {
  double reach = 0;
  for (const Vec3& p : points) reach = std::max(reach, (p - points.front()).norm());
  Found best;
  for (Found& f : starts) {
    if (!f.v.allFinite()) continue;
    descend(f, points, 1e9);
    if (f.v.allFinite() && f.cost < best.cost) best = f;
  }
  std::vector<double> beside(points.size());
  const auto measure = [&] {
    std::vector<double> far;
    for (size_t i = 0; i < points.size(); ++i)
      beside[i] = best.body.beside(best.v.data(), points[i]), far.push_back(std::abs(beside[i]));
    return std::max(1e-9 * reach, 1.4826 * medianOf(far));
  };
  if (best.cost > 1e299) throw Error("no round surface fits these points", "Select points on it");
  for (int round = 0; round < 3; ++round) descend(best, points, 1.5 * measure());
  // Then by those that belong to it alone.
  for (int round = 0; round < 3; ++round) {
    const double within = 3.5 * measure();
    std::vector<Vec3> own;
    for (size_t i = 0; i < points.size(); ++i)
      if (std::abs(beside[i]) <= within) own.push_back(points[i]);
    descend(best, own, 1e9);
  }
  BodyFit out;
  const double usual = measure();
  double squares = 0;
  for (const double b : beside) {
    if (std::abs(b) > 3.5 * usual) {
      ++out.leftOut;
      continue;
    }
    squares += b * b, out.worst = std::max(out.worst, std::abs(b));
  }
  const auto used = static_cast<double>(points.size() - out.leftOut);
  out.rms = std::sqrt(squares / std::max(1.0, used));
  const double radius = std::abs(best.v[best.body.values() - 1]);
  out.sigma = best.sigma * out.rms * std::sqrt(used / std::max(1.0, used - best.body.values()));
  constexpr double kFarthest = 0.15;  // of the radius
  if (out.rms > kFarthest * radius)
    throw Error(fmt::format("no round surface fits these points: off by {:.0f}% of the radius", 100 * out.rms / radius),
                "Select points on it");
  if (!(radius > 1e-6 * reach) || radius > 100 * reach || out.sigma > radius)
    throw Error("these points are almost flat: the radius is not known", "Choose points further around it");
  out.surface.position = best.body.centreAt(best.v.data());
  out.surface.size = Vec3::Constant(2 * radius);
  if (best.body.sphere) return out;
  Vec3 up = best.body.axisAt(best.v.data());
  if (up.y() < 0 || (std::abs(up.y()) < 1e-3 && up.x() < 0)) up = -up;
  std::vector<double> way;
  for (size_t i = 0; i < points.size(); ++i)
    if (std::abs(beside[i]) <= 3.5 * usual) way.push_back(up.dot(points[i] - out.surface.position));
  const auto [lo, hi] = std::minmax_element(way.begin(), way.end());
  out.surface.position += (*lo + *hi) / 2 * up;
  out.surface.size.y() = std::max(*hi - *lo, 1e-3 * radius);
  out.surface.turn = rotationFromTo(Vec3::UnitY(), up);
  return out;
}

Vec3 middleOf(const std::vector<Vec3>& points) {
  Vec3 sum = Vec3::Zero();
  for (const Vec3& p : points) sum += p;
  return sum / static_cast<double>(points.size());
}

}  // namespace

BodyFit fitCylinder(const std::vector<Vec3>& points) {
  if (points.size() < 8)
    throw Error(fmt::format("{} points are too few for a cylinder", points.size()), "Choose eight or more");
  const Vec3 middle = middleOf(points);
  Mat3 spread = Mat3::Zero();
  for (const Vec3& p : points) spread += (p - middle) * (p - middle).transpose();
  const Mat3 axes = axesOf(spread).vectors;
  std::vector<Found> starts;
  for (const Vec3& axis : {Vec3(Vec3::UnitY()), Vec3(Vec3::UnitX()), Vec3(Vec3::UnitZ()), Vec3(axes.col(0)),
                           Vec3(axes.col(1)), Vec3(axes.col(2))})
    starts.push_back(startAlong(axis, middle, points));
  return fitted(starts, points);
}

BodyFit fitSphere(const std::vector<Vec3>& points) {
  if (points.size() < 5)
    throw Error(fmt::format("{} points are too few for a sphere", points.size()), "Choose five or more");
  // The sphere with the least algebraic distance to begin from.
  Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
  Eigen::Vector4d b = Eigen::Vector4d::Zero();
  const Vec3 middle = middleOf(points);
  for (const Vec3& p : points) {
    const Vec3 d = p - middle;
    const Eigen::Vector4d row(2 * d.x(), 2 * d.y(), 2 * d.z(), 1);
    a += row * row.transpose(), b += row * d.squaredNorm();
  }
  const Eigen::Vector4d x = solveSymmetric(Eigen::MatrixXd(a), b);
  Found f;
  f.body.sphere = true, f.body.centre = middle;
  f.v = VectorXd::Zero(4);
  f.v << x.head<3>(), std::sqrt(std::max(0.0, x[3] + x.head<3>().squaredNorm()));
  return fitted({f}, points);
}

}  // namespace zentil::set
