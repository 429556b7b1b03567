#include <cmath>

#include "core/set/form.h"

namespace zentil::set {
namespace {

class Sphere : public Round {
 public:
  int sizes() const override { return 1; }
  Mesh triangles(const Surface& s) const override { return grid(s, 96, 48); }
  Lines outline(const Surface& s) const override {
    Lines out;
    // Four great circles through the poles, each down one side and up the other, and the equator.
    for (int i = 0; i < 4; ++i)
      curve(out, 32, [&](double t) { return at(s, i / 8.0 + (t > 0.5 ? 0.5 : 0), t > 0.5 ? 2 - 2 * t : 2 * t); });
    curve(out, 48, [&](double t) { return at(s, t, 0.5); });
    return out;
  }
  Vec2 uv(const Surface&, const Vec3& p) const override {
    return {around(p), std::acos(std::clamp(p.normalized().y(), -1.0, 1.0)) / M_PI};
  }
  std::optional<BodyFit> through(const std::vector<Vec3>& points) const override {
    auto out = fitSphere(points);
    out.surface.kind = SurfaceKind::Sphere;
    return out;
  }
  Vec2 face(const Surface& s) const override { return {M_PI * s.size.x(), M_PI * s.size.x() / 2}; }
  Vec3 reach(const Surface& s) const override { return Vec3::Constant(s.size.x() / 2); }

 protected:
  Vec3 at(const Surface& s, double u, double v) const override {
    const double a = 2 * M_PI * u, b = M_PI * v, r = s.size.x() / 2;
    return s.toWorld(Vec3(r * std::sin(b) * std::sin(a), r * std::cos(b), r * std::sin(b) * std::cos(a)));
  }
};

}  // namespace

const Form& sphere() {
  static const Sphere form;
  return form;
}

}  // namespace zentil::set
