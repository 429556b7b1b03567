#include "core/set/form.h"

#include <array>
#include <cmath>

namespace zentil::set {

const Form& formOf(SurfaceKind kind) {
  static const std::array<const Form*, 5> kForms = {&plane(), &box(), &cylinder(), &sphere(), &mesh()};
  return *kForms[static_cast<size_t>(kind)];
}

Lines edgesOfBox(const Surface& s, const Vec3& lo, const Vec3& hi) {
  std::array<Vec3, 8> c;
  for (size_t i = 0; i < 8; ++i)
    c[i] = s.toWorld(Vec3((i & 1 ? hi : lo).x(), (i & 2 ? hi : lo).y(), (i & 4 ? hi : lo).z()));
  Lines out;
  for (size_t i = 0; i < 8; ++i)
    for (const size_t bit : {1, 2, 4})
      if (!(i & bit)) out.emplace_back(c[i], c[i | bit]);
  return out;
}

void addQuad(Mesh& m, const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const int n = static_cast<int>(m.points.size());
  m.points.insert(m.points.end(), {a, b, c, d});
  m.triangles.emplace_back(n, n + 1, n + 2);
  m.triangles.emplace_back(n, n + 2, n + 3);
}

Mesh Round::grid(const Surface& s, int columns, int rows) const {
  Mesh m;
  for (int j = 0; j <= rows; ++j)
    for (int i = 0; i <= columns; ++i)
      m.points.push_back(at(s, static_cast<double>(i) / columns, static_cast<double>(j) / rows));
  const auto index = [&](int i, int j) { return j * (columns + 1) + i; };
  for (int j = 0; j < rows; ++j)
    for (int i = 0; i < columns; ++i) {
      m.triangles.emplace_back(index(i, j), index(i, j + 1), index(i + 1, j + 1));
      m.triangles.emplace_back(index(i, j), index(i + 1, j + 1), index(i + 1, j));
    }
  return m;
}

double Round::around(const Vec3& own) {
  const double a = std::atan2(own.x(), own.z()) / (2 * M_PI);
  return a < 0 ? a + 1 : a;
}

Mesh triangulate(const Surface& s) { return formOf(s.kind).triangles(s); }
Lines outlineOf(const Surface& s) { return formOf(s.kind).outline(s); }
Lines hullOf(const Surface& s) { return formOf(s.kind).hull(s); }
Vec2 uvOf(const Surface& s, const Vec3& world) { return formOf(s.kind).uv(s, s.toOwn(world)); }
Vec2 faceSize(const Surface& s) { return formOf(s.kind).face(s); }

}  // namespace zentil::set
