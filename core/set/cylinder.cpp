#include <cmath>

#include "core/set/form.h"

namespace zentil::set {
namespace {

class Cylinder : public Round {
 public:
  int sizes() const override { return 2; }
  Mesh triangles(const Surface& s) const override { return grid(s, 180, 1); }
  Lines outline(const Surface& s) const override {
    Lines out;
    for (const double end : {0.0, 1.0}) curve(out, 48, [&](double t) { return at(s, t, end); });
    for (int i = 0; i < 8; ++i) out.emplace_back(at(s, i / 8.0, 0), at(s, i / 8.0, 1));
    return out;
  }
  Vec2 uv(const Surface& s, const Vec3& p) const override { return {around(p), 0.5 - p.y() / s.size.y()}; }
  std::optional<Surface> slid(const Surface& s, const Vec2& byM) const override {
    Surface out = s;
    const double angle = 2 * byM.x() / s.size.x(), c = std::cos(angle), n = std::sin(angle);
    Mat3 about;
    about << c, 0, n, 0, 1, 0, -n, 0, c;
    out.position = s.toWorld(Vec3(0, byM.y(), 0)), out.turn = s.turn * about;
    return out;
  }
  std::optional<BodyFit> through(const std::vector<Vec3>& points) const override {
    auto out = fitCylinder(points);
    out.surface.kind = SurfaceKind::Cylinder;
    return out;
  }
  Vec2 face(const Surface& s) const override { return {M_PI * s.size.x(), s.size.y()}; }
  Vec3 reach(const Surface& s) const override { return {s.size.x() / 2, s.size.y() / 2, s.size.x() / 2}; }

 protected:
  Vec3 at(const Surface& s, double u, double v) const override {
    const double a = 2 * M_PI * u, r = s.size.x() / 2;
    return s.toWorld(Vec3(r * std::sin(a), s.size.y() * (0.5 - v), r * std::cos(a)));
  }
};

}  // namespace

const Form& cylinder() {
  static const Cylinder form;
  return form;
}

}  // namespace zentil::set
