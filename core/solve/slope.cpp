#include "core/solve/slope.h"

#include <Eigen/LU>
#include <cmath>

namespace zentil::solve {
namespace {

constexpr int kReadout = 5;  ///< among the inner values

/// Of a view that stands.
bool standingSlopesAt(const View& v, const Intrinsics& c, const Vec3& world, const Vec2& seen, Slope& s) {
  const Vec3 y = v.turn * world, p = y + v.place;
  if (!(p.z() > 1e-9)) return false;
  const double iz = 1 / p.z(), nx = p.x() * iz, ny = p.y() * iz;
  Vec2 at;
  lens::Slopes lens;
  if (!c.lensOf(v).project({nx, ny}, c.body(v), at, &lens)) return false;
  s.residual = at - seen;
  Mat23 pinhole;
  pinhole << iz, 0, -nx * iz, 0, iz, -ny * iz;
  const Mat23 d = lens.byStraight * pinhole;
  Mat3 cross;
  cross << 0, -y.z(), y.y(), y.z(), 0, -y.x(), -y.y(), y.x(), 0;
  s.view.col(0) = lens.byBody.col(0) + c.k1Zoom * lens.byCoefficients.col(0) + c.k2Zoom * lens.byCoefficients.col(1);
  s.view.middleCols<3>(1) = -d * cross;
  s.view.rightCols<3>() = d;
  s.point = d * v.turn;
  // A logarithm for every sight would be a tenth of a solve; most shots do not zoom.
  const double zoomed = v.zoom == 1 ? 0 : std::log(v.zoom);
  s.inner << lens.byBody.col(0) / c.f, lens.byBody.rightCols<2>(), lens.byCoefficients.leftCols<2>(), Vec2::Zero(),
      zoomed * lens.byCoefficients.leftCols<2>(), Vec2(0, (at.y() - c.cy) / c.tall);
  return true;
}

/// Of one whose rows are read one after the other: when a point is seen hangs on where, and that on when.
bool rollingSlopesAt(const View& v, const Intrinsics& c, const Vec3& world, const Vec2& seen, Slope& s) {
  double late = 0;
  Vec2 at;
  if (!c.project(v, world, at, &late)) return false;
  const View then = v.at(late);
  if (!standingSlopesAt(then, c, world, seen, s)) return false;
  s.residual = at - seen;
  // The view's own values: its turn and place come before what it goes on by.
  const Mat3 roll = v.roll.turnAt(late);
  const Vec3 turned = v.turn * (world - v.roll.wayAt(late));
  Mat3 cross;
  cross << 0, -turned.z(), turned.y(), turned.z(), 0, -turned.x(), -turned.y(), turned.x(), 0;
  const Mat23 d = s.view.rightCols<3>() * roll;  // by where it lies for the view that does not go on
  s.view.middleCols<3>(1) = -d * cross;
  s.view.rightCols<3>() = d;
  // With time: the turn goes on, and the way.
  const Vec3 spin = v.roll.turn.speed(late), speed = v.roll.place.speed(late), lies = roll * (turned + v.place);
  const Vec2 flows = d * roll.transpose() * (spin.cross(lies) - roll * (v.turn * speed));
  s.inner.col(kReadout) = flows * (at.y() / c.rows - 0.5);
  // What moves it down the rows is seen later by that.
  const double later = c.readout / c.rows;
  const Mat2 all = Mat2::Identity() + later / (1 - later * flows.y()) * flows * Vec2::UnitY().transpose();
  s.view = all * s.view, s.point = all * s.point, s.inner = all * s.inner;
  return true;
}

}  // namespace

bool slopesAt(const View& v, const Intrinsics& c, const Vec3& world, const Vec2& seen, Slope& s) {
  return c.rolls() ? rollingSlopesAt(v, c, world, seen, s) : standingSlopesAt(v, c, world, seen, s);
}

}  // namespace zentil::solve
