#include "core/set/surface.h"

#include <Eigen/Eigenvalues>
#include <cmath>

#include "core/base/error.h"

namespace zentil::set {
namespace {

void addQuad(Mesh& m, const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const int n = static_cast<int>(m.points.size());
  m.points.insert(m.points.end(), {a, b, c, d});
  m.triangles.emplace_back(n, n + 1, n + 2);
  m.triangles.emplace_back(n, n + 2, n + 3);
}

std::vector<Vec3> boxCorners(const Surface& s) {
  std::vector<Vec3> out;
  out.reserve(8);
  for (int i = 0; i < 8; ++i)
    out.push_back(s.toWorld(
        Vec3((i & 1 ? 0.5 : -0.5) * s.size.x(), (i & 2 ? 0.5 : -0.5) * s.size.y(), (i & 4 ? 0.5 : -0.5) * s.size.z())));
  return out;
}

/// A grid of quads over (u, v) in [0,1]^2.
template <typename PointAt>
Mesh gridMesh(int columns, int rows, const PointAt& pointAt) {
  Mesh m;
  for (int j = 0; j <= rows; ++j)
    for (int i = 0; i <= columns; ++i)
      m.points.push_back(pointAt(static_cast<double>(i) / columns, static_cast<double>(j) / rows));
  const auto at = [&](int i, int j) { return j * (columns + 1) + i; };
  for (int j = 0; j < rows; ++j)
    for (int i = 0; i < columns; ++i) {
      m.triangles.emplace_back(at(i, j), at(i, j + 1), at(i + 1, j + 1));
      m.triangles.emplace_back(at(i, j), at(i + 1, j + 1), at(i + 1, j));
    }
  return m;
}

Vec3 onCylinder(const Surface& s, double u, double v) {
  const double a = 2 * M_PI * u;
  return s.toWorld(Vec3(s.size.x() / 2 * std::sin(a), s.size.y() * (0.5 - v), s.size.x() / 2 * std::cos(a)));
}

Vec3 onSphere(const Surface& s, double u, double v) {
  const double a = 2 * M_PI * u, b = M_PI * v, r = s.size.x() / 2;
  return s.toWorld(Vec3(r * std::sin(b) * std::sin(a), r * std::cos(b), r * std::sin(b) * std::cos(a)));
}

}  // namespace

bool Surface::operator==(const Surface& o) const {
  return id == o.id && name == o.name && kind == o.kind && position == o.position && turn == o.turn && size == o.size &&
         blocks == o.blocks && meshFile == o.meshFile;
}

Mesh triangulate(const Surface& s) {
  switch (s.kind) {
    case SurfaceKind::Plane: {
      Mesh m;
      const double x = s.size.x() / 2, y = s.size.y() / 2;
      addQuad(m, s.toWorld({-x, -y, 0}), s.toWorld({x, -y, 0}), s.toWorld({x, y, 0}), s.toWorld({-x, y, 0}));
      return m;
    }
    case SurfaceKind::Box: {
      Mesh m;
      const auto c = boxCorners(s);
      for (const auto& f :
           {std::array{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}})
        addQuad(m, c[f[0]], c[f[1]], c[f[2]], c[f[3]]);
      return m;
    }
    case SurfaceKind::Cylinder:
      return gridMesh(180, 1, [&](double u, double v) { return onCylinder(s, u, v); });
    case SurfaceKind::Sphere:
      return gridMesh(96, 48, [&](double u, double v) { return onSphere(s, u, v); });
    case SurfaceKind::Mesh:
      break;
  }
  Mesh m;
  if (s.mesh) {
    m = *s.mesh;
    for (Vec3& p : m.points) p = s.toWorld(p.cwiseProduct(s.size));
  }
  return m;
}

void Mesh::bound() {
  lo = hi = points.empty() ? Vec3(Vec3::Zero()) : points[0];
  for (const Vec3& p : points) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
}

std::vector<std::pair<Vec3, Vec3>> outlineOf(const Surface& s) {
  std::vector<std::pair<Vec3, Vec3>> out;
  const auto curve = [&](int n, const auto& at) {
    for (int i = 0; i < n; ++i) out.emplace_back(at(static_cast<double>(i) / n), at(static_cast<double>(i + 1) / n));
  };
  switch (s.kind) {
    case SurfaceKind::Plane: {
      const auto m = triangulate(s);
      for (int i = 0; i < 4; ++i) out.emplace_back(m.points[i], m.points[(i + 1) % 4]);
      break;
    }
    case SurfaceKind::Box: {
      const auto c = boxCorners(s);
      for (int i = 0; i < 8; ++i)
        for (const int bit : {1, 2, 4})
          if (!(i & bit)) out.emplace_back(c[i], c[i | bit]);
      break;
    }
    case SurfaceKind::Cylinder:
      curve(48, [&](double t) { return onCylinder(s, t, 0); });
      curve(48, [&](double t) { return onCylinder(s, t, 1); });
      for (int i = 0; i < 8; ++i) out.emplace_back(onCylinder(s, i / 8.0, 0), onCylinder(s, i / 8.0, 1));
      break;
    case SurfaceKind::Sphere:
      for (int i = 0; i < 4; ++i)
        curve(32, [&](double t) { return onSphere(s, i / 8.0 + (t > 0.5 ? 0.5 : 0), t > 0.5 ? 2 - 2 * t : 2 * t); });
      curve(48, [&](double t) { return onSphere(s, t, 0.5); });
      break;
    case SurfaceKind::Mesh: {
      if (!s.mesh || s.mesh->points.empty()) break;
      const Vec3 &lo = s.mesh->lo, &hi = s.mesh->hi;
      Surface box = s;
      box.kind = SurfaceKind::Box;
      box.position = s.toWorld((lo + hi).cwiseProduct(s.size) / 2);
      box.size = (hi - lo).cwiseProduct(s.size);
      return outlineOf(box);
    }
  }
  return out;
}

Vec2 faceSize(const Surface& s) {
  switch (s.kind) {
    case SurfaceKind::Cylinder:
      return {M_PI * s.size.x(), s.size.y()};
    case SurfaceKind::Sphere:
      return {M_PI * s.size.x(), M_PI * s.size.x() / 2};
    default:
      return s.size.head<2>();
  }
}

Vec2 uvOf(const Surface& s, const Vec3& world) {
  const Vec3 p = s.toOwn(world);
  const auto across = [](double v, double size) { return size > 0 ? v / size + 0.5 : 0.5; };
  switch (s.kind) {
    case SurfaceKind::Plane:
      return {across(p.x(), s.size.x()), 1 - across(p.y(), s.size.y())};
    case SurfaceKind::Cylinder: {
      const double a = std::atan2(p.x(), p.z()) / (2 * M_PI);
      return {a < 0 ? a + 1 : a, 0.5 - p.y() / s.size.y()};
    }
    case SurfaceKind::Sphere: {
      const double a = std::atan2(p.x(), p.z()) / (2 * M_PI);
      return {a < 0 ? a + 1 : a, std::acos(std::clamp(p.normalized().y(), -1.0, 1.0)) / M_PI};
    }
    case SurfaceKind::Box: {
      const Vec3 q(p.x() / s.size.x(), p.y() / s.size.y(), p.z() / s.size.z());
      int axis = 0;
      q.cwiseAbs().maxCoeff(&axis);
      const bool front = q[axis] > 0;
      if (axis == 2) return {front ? q.x() + 0.5 : 0.5 - q.x(), 0.5 - q.y()};
      if (axis == 0) return {front ? 0.5 - q.z() : q.z() + 0.5, 0.5 - q.y()};
      return {q.x() + 0.5, front ? q.z() + 0.5 : 0.5 - q.z()};
    }
    case SurfaceKind::Mesh:
      break;
  }
  const Vec3 q(s.size.x() ? p.x() / s.size.x() : p.x(), s.size.y() ? p.y() / s.size.y() : p.y(), 0);
  return {q.x() + 0.5, 0.5 - q.y()};
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
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(covariance);
  const Vec3 spread = eigen.eigenvalues().cwiseMax(0.0).cwiseSqrt();
  if (!(spread[1] > 1e-3 * spread[2]) || spread[2] == 0)
    throw Error("the chosen points lie in a line, so they do not say how the plane is turned",
                "Add a point off that line");
  fit.normal = eigen.eigenvectors().col(0);
  const Mat3 axes = turnFor(fit.normal);
  Vec2 lo(1e30, 1e30), hi(-1e30, -1e30);
  double sum = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    const double d = std::abs(fit.normal.dot(points[i] - fit.centre));
    sum += d * d;
    if (d > fit.worst) fit.worst = d, fit.worstIndex = i;
    const Vec3 own = axes.transpose() * (points[i] - fit.centre);
    lo = lo.cwiseMin(own.head<2>());
    hi = hi.cwiseMax(own.head<2>());
  }
  fit.rms = std::sqrt(sum / static_cast<double>(points.size()));
  fit.extent = hi - lo;
  fit.centre += axes.leftCols<2>() * (lo + hi) / 2;
  return fit;
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
