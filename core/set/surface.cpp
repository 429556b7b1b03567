#include "core/set/surface.h"

#include <Eigen/Eigenvalues>
#include <cmath>

#include "core/base/error.h"
#include "core/base/matrices.h"

namespace zentil::set {
bool Surface::operator==(const Surface& o) const {
  return id == o.id && name == o.name && kind == o.kind && position == o.position && turn == o.turn && size == o.size &&
         occludes == o.occludes && meshFile == o.meshFile;
}

PlaneFit fitPlane(const std::vector<Vec3>& points) {
  if (points.size() < 3)
    throw Error(fmt::format("a plane needs three points; {} chosen", points.size()),
                "Choose more points on the same flat thing");
  PlaneFit fit;
  fit.centre.setZero();
  for (const Vec3& p : points) fit.centre += p;
  fit.centre /= static_cast<double>(points.size());
  Mat3 covariance = Mat3::Zero();
  for (const Vec3& p : points) covariance += (p - fit.centre) * (p - fit.centre).transpose();
  const auto axes = axesOf(covariance);
  const Vec3 spread = axes.values.cwiseMax(0.0).cwiseSqrt();
  if (!(spread[1] > 1e-3 * spread[2]) || spread[2] == 0)
    throw Error("the selected points are on one line: the plane's tilt is not known", "Add a point off that line");
  fit.normal = axes.vectors.col(0);
  const Mat3 turn = turnFor(fit.normal);
  Vec2 lo(1e30, 1e30), hi(-1e30, -1e30);
  double sum = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    const double d = std::abs(fit.normal.dot(points[i] - fit.centre));
    sum += d * d;
    if (d > fit.worst) fit.worst = d, fit.worstIndex = i;
    const Vec3 own = turn.transpose() * (points[i] - fit.centre);
    lo = lo.cwiseMin(own.head<2>());
    hi = hi.cwiseMax(own.head<2>());
  }
  fit.rms = std::sqrt(sum / static_cast<double>(points.size()));
  fit.extent = hi - lo;
  fit.centre += turn.leftCols<2>() * (lo + hi) / 2;
  return fit;
}

Vec3 uprightTowards(const Vec3& direction) {
  constexpr double kSteep = 0.9;
  const Vec3 way = direction.normalized();
  return std::abs(way.y()) < kSteep ? Vec3(-way.x(), 0, -way.z()).normalized() : Vec3(-way);
}

Mat3 turnFor(const Vec3& normal) {
  const Vec3 z = normal.normalized();
  const Vec3 up = std::abs(z.y()) > 0.9 ? Vec3(0, 0, z.y() > 0 ? -1 : 1) : Vec3(0, 1, 0);
  const Vec3 x = up.cross(z).normalized();
  Mat3 m;
  m << x, z.cross(x), z;
  return m;
}

}  // namespace zentil::set
