#pragma once
// The vectors and boxes that every room speaks in.
//
// Pixels are continuous positions: x right, y down, (0,0) the top-left corner of the display window, the centre of
// pixel (i,j) at (i+0.5, j+0.5). The world is right-handed, Y up, in metres.
#include <Eigen/Core>
#include <algorithm>

namespace zentil {

using Vec2 = Eigen::Vector2d;
using Vec3 = Eigen::Vector3d;
using Mat2 = Eigen::Matrix2d;
using Mat3 = Eigen::Matrix3d;

/// A rectangle of whole pixels; x1 and y1 are one past the last.
struct Box {
  int x0 = 0, y0 = 0, x1 = 0, y1 = 0;

  int width() const { return std::max(0, x1 - x0); }
  int height() const { return std::max(0, y1 - y0); }
  bool empty() const { return x1 <= x0 || y1 <= y0; }
  bool contains(int x, int y) const { return x >= x0 && x < x1 && y >= y0 && y < y1; }
  Box grown(int by) const { return {x0 - by, y0 - by, x1 + by, y1 + by}; }
  bool operator==(const Box&) const = default;
};

inline Box intersect(const Box& a, const Box& b) {
  return {std::max(a.x0, b.x0), std::max(a.y0, b.y0), std::min(a.x1, b.x1), std::min(a.y1, b.y1)};
}

/// The smallest box that holds both; an empty box adds nothing.
inline Box unite(const Box& a, const Box& b) {
  if (a.empty()) return b;
  if (b.empty()) return a;
  return {std::min(a.x0, b.x0), std::min(a.y0, b.y0), std::max(a.x1, b.x1), std::max(a.y1, b.y1)};
}

}  // namespace zentil
