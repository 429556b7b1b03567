#include <array>

#include "core/set/form.h"

namespace zentil::set {
namespace {

class Boxed : public Form {
 public:
  int sizes() const override { return 3; }
  bool isFlatSided() const override { return true; }
  Mesh triangles(const Surface& s) const override {
    std::array<Vec3, 8> c;
    for (size_t i = 0; i < 8; ++i)
      c[i] = s.toWorld(Vec3((i & 1 ? 0.5 : -0.5) * s.size.x(), (i & 2 ? 0.5 : -0.5) * s.size.y(),
                            (i & 4 ? 0.5 : -0.5) * s.size.z()));
    Mesh m;
    for (const auto& f :
         {std::array<size_t, 4>{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}})
      addQuad(m, c[f[0]], c[f[1]], c[f[2]], c[f[3]]);
    return m;
  }
  int sideOf(unsigned triangle) const override { return static_cast<int>(triangle / 2); }
  Lines outline(const Surface& s) const override { return edgesOfBox(s, -s.size / 2, s.size / 2); }
  Vec2 uv(const Surface& s, const Vec3& p) const override {
    const Vec3 q = p.cwiseQuotient(s.size);
    int axis = 0;
    q.cwiseAbs().maxCoeff(&axis);
    const bool front = q[axis] > 0;
    if (axis == 2) return {front ? q.x() + 0.5 : 0.5 - q.x(), 0.5 - q.y()};
    if (axis == 0) return {front ? 0.5 - q.z() : q.z() + 0.5, 0.5 - q.y()};
    return {q.x() + 0.5, front ? q.z() + 0.5 : 0.5 - q.z()};
  }
};

}  // namespace

const Form& box() {
  static const Boxed form;
  return form;
}

}  // namespace zentil::set
