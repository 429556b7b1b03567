#include "core/set/form.h"

namespace zentil::set {
namespace {

class Plane : public Form {
 public:
  int sizes() const override { return 2; }
  bool isFlat() const override { return true; }
  bool isFlatSided() const override { return true; }
  bool isBody() const override { return false; }
  Mesh triangles(const Surface& s) const override {
    Mesh m;
    const double x = s.size.x() / 2, y = s.size.y() / 2;
    addQuad(m, s.toWorld({-x, -y, 0}), s.toWorld({x, -y, 0}), s.toWorld({x, y, 0}), s.toWorld({-x, y, 0}));
    return m;
  }
  Lines outline(const Surface& s) const override {
    const Mesh m = triangles(s);
    Lines out;
    for (size_t i = 0; i < 4; ++i) out.emplace_back(m.points[i], m.points[(i + 1) % 4]);
    return out;
  }
  Vec2 uv(const Surface& s, const Vec3& p) const override {
    const auto across = [](double v, double size) { return size > 0 ? v / size + 0.5 : 0.5; };
    return {across(p.x(), s.size.x()), 1 - across(p.y(), s.size.y())};
  }
  Vec3 reach(const Surface& s) const override { return {s.size.x() / 2, s.size.y() / 2, 0}; }
  std::optional<Surface> slid(const Surface& s, const Vec2& byM) const override {
    Surface out = s;
    out.position = s.toWorld(Vec3(byM.x(), byM.y(), 0));
    return out;
  }
};

}  // namespace

Surface facing(const PlaneFit& fit, const Vec3& viewer) {
  Surface s;
  s.kind = SurfaceKind::Plane;
  const bool away = fit.normal.dot(viewer - fit.centre) < 0;
  s.turn = turnFor(away ? Vec3(-fit.normal) : fit.normal);
  s.position = fit.centre;
  return s;
}

const Form& plane() {
  static const Plane form;
  return form;
}

}  // namespace zentil::set
