#include <array>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/set/form.h"
#include "core/set/points.h"

namespace zentil::set {
namespace {

/// The edges at which a mesh ends or bends by more than 30 degrees, as pairs of points. Points at one place are one:
/// files split them where pictures or normals meet.
std::vector<std::pair<int, int>> creasesOf(const Mesh& m) {
  constexpr double kBend = 0.866;
  std::map<std::array<double, 3>, int> places;
  std::vector<int> place(m.points.size());
  for (size_t i = 0; i < place.size(); ++i)
    place[i] =
        places.try_emplace({m.points[i].x(), m.points[i].y(), m.points[i].z()}, static_cast<int>(i)).first->second;
  struct Side {
    Vec3 normal;
    int count = 0;
    bool bends = false;
  };
  std::map<std::pair<int, int>, Side> sides;
  for (const auto& t : m.triangles) {
    const auto corner = [&](int k) { return place[static_cast<size_t>(t[k % 3])]; };
    const auto at = [&](int k) { return m.points[static_cast<size_t>(corner(k))]; };
    const Vec3 n = (at(1) - at(0)).cross(at(2) - at(0)).normalized();
    for (int k = 0; k < 3; ++k) {
      const int a = corner(k), b = corner(k + 1);
      if (a == b) continue;
      Side& s = sides[std::minmax(a, b)];
      if (s.count++ == 0)
        s.normal = n;
      else
        s.bends = s.bends || std::abs(s.normal.dot(n)) < kBend;
    }
  }
  std::vector<std::pair<int, int>> out;
  for (const auto& [ends, s] : sides)
    if (s.count == 1 || s.bends) out.push_back(ends);
  return out;
}

class Triangles : public Form {
 public:
  int sizes() const override { return 3; }
  bool isIntricate() const override { return true; }
  bool isBody() const override { return false; }
  Mesh triangles(const Surface& s) const override {
    Mesh m;
    if (!s.mesh) return m;
    m = *s.mesh;
    for (Vec3& p : m.points) p = s.toWorld(p.cwiseProduct(s.size));
    return m;
  }
  Lines outline(const Surface& s) const override {
    if (!s.mesh || s.mesh->creases.empty()) return hull(s);
    Lines out;
    const auto at = [&](int i) { return s.toWorld(s.mesh->points[static_cast<size_t>(i)].cwiseProduct(s.size)); };
    for (const auto& [a, b] : s.mesh->creases) out.emplace_back(at(a), at(b));
    return out;
  }
  Lines hull(const Surface& s) const override {
    if (!s.mesh || s.mesh->points.empty()) return {};
    return edgesOfBox(s, s.mesh->lo.cwiseProduct(s.size), s.mesh->hi.cwiseProduct(s.size));
  }
  Vec2 uv(const Surface& s, const Vec3& p) const override {
    return {(s.size.x() ? p.x() / s.size.x() : p.x()) + 0.5, 0.5 - (s.size.y() ? p.y() / s.size.y() : p.y())};
  }
  Vec3 reach(const Surface& s) const override {
    if (!s.mesh) return s.size / 2;
    return s.mesh->lo.cwiseAbs().cwiseMax(s.mesh->hi.cwiseAbs()).cwiseProduct(s.size);
  }
  Vec3 extent(const Surface& s) const override {
    return s.mesh ? Vec3((s.mesh->hi - s.mesh->lo).cwiseProduct(s.size)) : s.size;
  }
  std::string lacks(const Surface& s) const override {
    if (s.mesh && !s.mesh->triangles.empty()) return {};
    return fmt::format("its mesh {} cannot be read: restore the file", s.meshFile);
  }
};

}  // namespace

void Mesh::bound() {
  lo = hi = points.empty() ? Vec3(Vec3::Zero()) : points[0];
  for (const Vec3& p : points) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  // More lines than these would be a blot, and cost what a frame does.
  constexpr size_t kMostLines = 4000, kMostTriangles = 200000;
  creases.clear();
  if (triangles.size() > kMostTriangles) return;
  creases = creasesOf(*this);
  if (creases.size() > kMostLines) creases.clear();
}

Surface meshFrom(const std::filesystem::path& file) {
  Surface s;
  s.kind = SurfaceKind::Mesh;
  s.meshFile = file.string();
  s.mesh = freshMesh(file);
  s.size = Vec3(1, 1, 1);
  s.name = file.stem().string();
  return s;
}

const Form& mesh() {
  static const Triangles form;
  return form;
}

}  // namespace zentil::set
