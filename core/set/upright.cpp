#include "core/set/upright.h"

#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <cmath>
#include <limits>

#include "core/base/error.h"
#include "core/base/matrices.h"

namespace zentil::set {
namespace {

constexpr double kDegree = M_PI / 180;

/// Of the plane that a line lies in with who looks at it; zero for one that is too short. `reach`: how much its points
/// hold the plane, as the sum of their squared distances along it.
Vec3 normalOf(const std::vector<Vec3>& line, double* reach = nullptr) {
  Mat3 sum = Mat3::Zero();
  for (const Vec3& way : line) sum += way.normalized() * way.normalized().transpose();
  const auto of = axesOf(sum);
  // How far it reaches, as the spread of its directions.
  if (line.size() < 2 || of.values[1] < std::pow(std::sin(1 * kDegree), 2)) return Vec3::Zero();
  if (reach) *reach = of.values[1];
  return of.vectors.col(0);
}

double offDegrees(const Vec3& normal, const Vec3& up) {
  return std::asin(std::clamp(normal.dot(up), -1.0, 1.0)) / kDegree;
}

}  // namespace

Upright uprightBy(const std::vector<std::vector<Vec3>>& lines, const Vec3& near, double pointDegrees) {
  std::vector<Vec3> normals;
  double drawn = 0;  // variance of a plane as it is drawn, degrees squared
  normals.reserve(lines.size());
  for (const auto& line : lines) {
    double reach = 1;
    normals.push_back(normalOf(line, &reach));
    if (normals.back().isZero())
      throw Error("a line is too short to give a direction", "Draw it longer, or leave it out");
    drawn += pointDegrees * pointDegrees / reach / static_cast<double>(lines.size());
  }
  if (normals.size() < 2)
    throw Error("one line does not say which way is up", "Draw two or more along vertical edges, far apart");
  Mat3 sum = Mat3::Zero();
  for (const Vec3& n : normals) sum += n * n.transpose();
  const auto of = axesOf(sum);
  const auto count = static_cast<double>(normals.size());
  if (of.values[1] < count * std::pow(std::sin(5 * kDegree), 2))
    throw Error("the lines are in one plane with the camera: the tilt along it is not known",
                "Draw one more to the side");
  Upright out;
  out.up = of.vectors.col(0);
  if (out.up.dot(near) < 0) out.up = -out.up;
  double squares = 0;
  for (const Vec3& n : normals) squares += std::pow(offDegrees(n, out.up), 2);
  out.residualDegrees = std::sqrt(squares / count);
  // Two unknowns; the weaker of the two directions across up is held by the second eigenvalue.
  const double seen = normals.size() > 2 ? squares / (count - 2) : 0;
  out.sigmaDegrees = std::sqrt(std::max(seen, drawn) / of.values[1]);
  return out;
}

double offPlumb(const std::vector<Vec3>& line) {
  const Vec3 normal = normalOf(line);
  return normal.isZero() ? std::numeric_limits<double>::quiet_NaN() : std::abs(offDegrees(normal, Vec3::UnitY()));
}

Mat3 bringingUp(const Vec3& up) { return rotationFromTo(up, Vec3::UnitY()); }

}  // namespace zentil::set
