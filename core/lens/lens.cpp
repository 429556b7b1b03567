#include "core/lens/lens.h"

#include <Eigen/LU>
#include <cmath>
#include <limits>

#include "core/base/error.h"

namespace zentil::lens {

namespace {

/// Four numbers at once.
using Four = double __attribute__((vector_size(32)));

/// The formula and its derivative (symmetric), for one number or four.
template <typename T>
struct Bent {
  T x, y, xx, xy, yy;
};

template <typename T>
[[gnu::always_inline]] inline Bent<T> bendWithSlope(const Lens& l, const T& x, const T& y) {
  const T x2 = x * x, y2 = y * y, xy = x * y, rr = x2 + y2;
  const T radial = 1 + rr * (l.k1 + rr * (l.k2 + rr * l.k3));
  const T slope = 2 * (l.k1 + rr * (2 * l.k2 + rr * (3 * l.k3)));  // d(radial)/dx = slope * x
  return {x * radial + 2 * l.p1 * xy + l.p2 * (rr + 2 * x2), y * radial + l.p1 * (rr + 2 * y2) + 2 * l.p2 * xy,
          radial + slope * x2 + 2 * l.p1 * y + 6 * l.p2 * x, slope * xy + 2 * l.p1 * x + 2 * l.p2 * y,
          radial + slope * y2 + 6 * l.p1 * y + 2 * l.p2 * x};
}

}  // namespace

Vec2 Lens::bend(const Vec2& s, Mat2* derivative) const {
  const auto b = bendWithSlope(*this, s.x(), s.y());
  if (derivative) *derivative << b.xx, b.xy, b.xy, b.yy;
  return {b.x, b.y};
}

bool Lens::straighten(const Vec2& bent, Vec2& straight) const {
  if (isStraight()) {
    straight = bent;
    return true;
  }
  // The first guess undoes the radial part as it is at the bent radius.
  const double rr = bent.squaredNorm();
  const double radial = 1 + rr * (k1 + rr * (k2 + rr * k3));
  Vec2 s = radial > 0.5 && radial < 2 ? Vec2(bent / radial) : bent;
  Mat2 d;
  for (int i = 0; i < 25; ++i) {
    const Vec2 error = bend(s, &d) - bent;
    const double det = d(0, 0) * d(1, 1) - d(0, 1) * d(1, 0);
    // Past the fold the picture runs backwards: the determinant changes its sign there.
    if (!(det > 1e-6)) return false;
    const Vec2 step((d(1, 1) * error.x() - d(0, 1) * error.y()) / det,
                    (d(0, 0) * error.y() - d(1, 0) * error.x()) / det);
    s -= step;
    if (!(s.squaredNorm() < 1e6)) return false;
    // Newton squares its error: after a step this small what is left is far below double precision.
    if (step.squaredNorm() < 1e-18) {
      straight = s;
      return true;
    }
  }
  return false;
}

double Lens::foldRadius() const {
  // The bent radius r (1 + k1 s + k2 s^2 + k3 s^3), s = r^2, stops growing at the first zero of its derivative, a cubic
  // in s. Between the cubic's own turning points it only rises or only falls: the first such stretch that ends below
  // zero holds the answer.
  const auto slope = [&](double s) { return 1 + s * (3 * k1 + s * (5 * k2 + s * 7 * k3)); };
  constexpr double kFar = 400;
  double ends[3] = {kFar, kFar, kFar};
  const double a = 21 * k3, b = 10 * k2, c = 3 * k1;  // the derivative of slope: a s^2 + b s + c
  if (a == 0) {
    if (b != 0) ends[0] = -c / b;
  } else if (const double d = b * b - 4 * a * c; d > 0) {
    const double q = -0.5 * (b + std::copysign(std::sqrt(d), b));
    ends[0] = q / a;
    if (q != 0) ends[1] = c / q;
    if (ends[0] > ends[1]) std::swap(ends[0], ends[1]);
  }
  double lo = 0;
  for (double hi : ends) {
    if (!(hi > lo)) continue;
    hi = std::min(hi, kFar);
    if (slope(hi) <= 0) {
      for (int i = 0; i < 60; ++i) {
        const double mid = 0.5 * (lo + hi);
        (slope(mid) > 0 ? lo : hi) = mid;
      }
      return std::sqrt(lo);
    }
    lo = hi;
  }
  return std::numeric_limits<double>::infinity();
}

LensOnPixels::LensOnPixels(const Lens& l, double focalX, double focalY, double centreX, double centreY)
    : lens(l), fx(focalX), fy(focalY), cx(centreX), cy(centreY) {
  const double r = l.foldRadius();
  fold = r * r;
}

bool LensOnPixels::plateFromStraight(const Vec2& straight, Vec2& plate) const {
  const Vec2 n((straight.x() - cx) / fx, (straight.y() - cy) / fy);
  if (n.squaredNorm() >= fold) return false;
  const Vec2 b = lens.bend(n);
  plate = {cx + fx * b.x(), cy + fy * b.y()};
  return true;
}

bool LensOnPixels::straightFromPlate(const Vec2& plate, Vec2& straight) const {
  Vec2 n;
  if (!lens.straighten({(plate.x() - cx) / fx, (plate.y() - cy) / fy}, n) || n.squaredNorm() >= fold) return false;
  straight = {cx + fx * n.x(), cy + fy * n.y()};
  return true;
}

unsigned LensOnPixels::straightFromPlate(Vec2 (&positions)[4]) const {
  const auto pick = [&](int k) { return Four{positions[0][k], positions[1][k], positions[2][k], positions[3][k]}; };
  const Four bentX = (pick(0) - cx) / fx, bentY = (pick(1) - cy) / fy;
  const Four bentRR = bentX * bentX + bentY * bentY;
  const Four radial = 1 + bentRR * (lens.k1 + bentRR * (lens.k2 + bentRR * lens.k3));
  Four x = bentX / radial, y = bentY / radial, step = x;
  // Four steps of Newton's method are enough for a lens that anybody uses; where they were not, one at a time goes on.
  bool whole = true;
  for (int i = 0; i < 4; ++i) {
    const auto b = bendWithSlope(lens, x, y);
    const Four ex = b.x - bentX, ey = b.y - bentY, det = b.xx * b.yy - b.xy * b.xy;
    const Four dx = (b.yy * ex - b.xy * ey) / det, dy = (b.xx * ey - b.xy * ex) / det;
    x -= dx, y -= dy;
    step = dx * dx + dy * dy;
    for (int k = 0; k < 4; ++k) whole = whole && det[k] > 1e-6;
  }
  unsigned found = 0;
  for (int k = 0; k < 4; ++k) {
    if (whole && radial[k] > 0.5 && radial[k] < 2 && step[k] < 1e-18) {
      if (x[k] * x[k] + y[k] * y[k] >= fold) continue;
      positions[k] = {cx + fx * x[k], cy + fy * y[k]};
      found |= 1U << k;
    } else if (Vec2 s; straightFromPlate(positions[k], s)) {
      positions[k] = s;
      found |= 1U << k;
    }
  }
  return found;
}

namespace {
/// Calls visit(plate pixel) along the frame's edge, a pixel apart.
template <typename Visit>
void alongEdge(int width, int height, const Visit& visit) {
  for (int x = 0; x <= width; ++x) {
    visit(Vec2(x, 0));
    visit(Vec2(x, height));
  }
  for (int y = 0; y <= height; ++y) {
    visit(Vec2(0, y));
    visit(Vec2(width, y));
  }
}
}  // namespace

std::string foldProblem(const LensOnPixels& lens, int width, int height) {
  int lost = 0;
  alongEdge(width, height, [&](const Vec2& p) {
    Vec2 s;
    lost += !lens.straightFromPlate(p, s);
  });
  if (!lost) return {};
  return fmt::format(
      "the lens folds over inside the frame (beyond {:.0f} px from its centre the picture would run backwards)",
      lens.lens.foldRadius() * lens.fx);
}

Box straightBox(const LensOnPixels& lens, int width, int height) {
  const std::string problem = foldProblem(lens, width, height);
  if (!problem.empty()) throw Error(problem, "Check the coefficients and the focal length they were measured with");
  double x0 = 1e30, y0 = 1e30, x1 = -1e30, y1 = -1e30;
  alongEdge(width, height, [&](const Vec2& p) {
    Vec2 s;
    if (!lens.straightFromPlate(p, s)) return;
    x0 = std::min(x0, s.x()), x1 = std::max(x1, s.x());
    y0 = std::min(y0, s.y()), y1 = std::max(y1, s.y());
  });
  const double slack = 1e-6;  // an edge that lies on a pixel border is not pushed outwards by rounding
  return {static_cast<int>(std::floor(x0 + slack)), static_cast<int>(std::floor(y0 + slack)),
          static_cast<int>(std::ceil(x1 - slack)), static_cast<int>(std::ceil(y1 - slack))};
}

}  // namespace zentil::lens
