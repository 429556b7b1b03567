#include "core/lens/lens.h"

#include <Eigen/LU>
#include <cmath>
#include <limits>

#include "core/base/error.h"

namespace zentil::lens {

Vec2 Lens::bend(const Vec2& s, Mat2* derivative) const {
  const double x = s.x(), y = s.y();
  const double xx = x * x, yy = y * y, xy = x * y, rr = xx + yy;
  const double radial = 1 + rr * (k1 + rr * (k2 + rr * k3));
  if (derivative) {
    const double slope = 2 * (k1 + rr * (2 * k2 + rr * 3 * k3));  // d(radial)/dx = slope * x
    (*derivative)(0, 0) = radial + slope * xx + 2 * p1 * y + 6 * p2 * x;
    (*derivative)(0, 1) = slope * xy + 2 * p1 * x + 2 * p2 * y;
    (*derivative)(1, 0) = slope * xy + 2 * p1 * x + 2 * p2 * y;
    (*derivative)(1, 1) = radial + slope * yy + 6 * p1 * y + 2 * p2 * x;
  }
  return {x * radial + 2 * p1 * xy + p2 * (rr + 2 * xx), y * radial + p1 * (rr + 2 * yy) + 2 * p2 * xy};
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
  // The bent radius r (1 + k1 r^2 + k2 r^4 + k3 r^6) stops growing at the first zero of its derivative.
  const auto slope = [&](double rr) { return 1 + rr * (3 * k1 + rr * (5 * k2 + rr * 7 * k3)); };
  double before = 0;
  for (double r = 0.002; r < 20; r *= 1.01) {
    if (slope(r * r) <= 0) {
      double lo = before, hi = r;
      for (int i = 0; i < 60; ++i) {
        const double mid = 0.5 * (lo + hi);
        (slope(mid * mid) > 0 ? lo : hi) = mid;
      }
      return lo;
    }
    before = r;
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
