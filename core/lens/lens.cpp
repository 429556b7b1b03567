#include "core/lens/lens.h"

#include <Eigen/LU>
#include <cmath>
#include <limits>

#include "core/base/error.h"
#include "core/lens/st_maps.h"

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

bool Lens::operator==(const Lens& o) const {
  const auto files = [](const Lens& l) {
    return l.maps ? l.maps->undistortFile + "\n" + l.maps->redistortFile : std::string();
  };
  return k1 == o.k1 && k2 == o.k2 && k3 == o.k3 && p1 == o.p1 && p2 == o.p2 && source == o.source && model == o.model &&
         squeeze == o.squeeze && squeezeCentrePx == o.squeezeCentrePx && keys == o.keys &&
         (maps == o.maps || (files(*this) == files(o) && (maps && o.maps) && maps->straight == o.maps->straight));
}

bool Lens::isStraight() const {
  const auto none = [](const Coefficients& c) {
    return std::all_of(c.begin(), c.end(), [](double v) { return v == 0; });
  };
  if (maps || squeeze != 1) return false;
  if (keys.empty()) return none({k1, k2, k3, p1, p2});
  return std::all_of(keys.all().begin(), keys.all().end(), [&](const auto& k) { return none(k.second.value); });
}

Coefficients Lens::coefficientsAt(int frame) const {
  if (keys.empty()) return {k1, k2, k3, p1, p2};
  return keys.at(frame);
}

void Lens::setCoefficients(int frame, const Coefficients& values) {
  if (keys.empty())
    k1 = values[0], k2 = values[1], k3 = values[2], p1 = values[3], p2 = values[4];
  else
    keys.put(frame, values);
}

Lens Lens::at(int frame) const {
  if (keys.empty()) return *this;
  Lens out = *this;
  out.keys = {};
  out.setCoefficients(frame, coefficientsAt(frame));
  return out;
}

Vec2 Lens::bend(const Vec2& s, Mat2* derivative, Eigen::Matrix<double, 2, 5>* byCoefficients) const {
  if (model == Model::Division) {
    // With t the bent radius over the straight one: t = 1 + k1 (t r)^2 + k2 (t r)^4, by Newton's method from the root
    // that the first coefficient alone has.
    const double rr = s.squaredNorm(), a = k1 * rr, b = k2 * rr * rr;
    double t = std::abs(a) > 1e-12 && 1 - 4 * a > 0 ? (1 - std::sqrt(1 - 4 * a)) / (2 * a) : 1;
    for (int i = 0; i < 20; ++i) {
      const double tt = t * t, step = (1 + a * tt + b * tt * tt - t) / (2 * a * t + 4 * b * tt * t - 1);
      t -= step;
      if (std::abs(step) < 1e-15) break;
    }
    const double tt = t * t, own = 2 * a * t + 4 * b * tt * t - 1;
    // The radius grows by dr'/dr = t + r dt/dr; across the radius everything is t times as large.
    if (derivative)
      *derivative = t * Mat2::Identity() - ((2 * k1 * tt + 4 * k2 * rr * tt * tt) / own) * s * s.transpose();
    if (byCoefficients) {
      byCoefficients->setZero();
      byCoefficients->col(0) = -rr * tt / own * s;
      byCoefficients->col(1) = -rr * rr * tt * tt / own * s;
    }
    return t * s;
  }
  const auto b = bendWithSlope(*this, s.x(), s.y());
  if (derivative) *derivative << b.xx, b.xy, b.xy, b.yy;
  if (byCoefficients) {
    const double x = s.x(), y = s.y(), rr = x * x + y * y;
    *byCoefficients << x * rr, x * rr * rr, x * rr * rr * rr, 2 * x * y, rr + 2 * x * x,  //
        y * rr, y * rr * rr, y * rr * rr * rr, rr + 2 * y * y, 2 * x * y;
  }
  return {b.x, b.y};
}

bool Lens::project(const Vec2& n, const Body& body, Vec2& plate, Slopes* slopes) const {
  if (maps) {
    const Vec2 straight(body.cx + body.fx * n.x(), body.cy + body.fy * n.y());
    // The table stays where it is; what moves is the place at which it is asked.
    Mat2 d;
    if (!maps->undistort.at(straight, plate, slopes ? &d : nullptr)) return false;
    if (!slopes) return true;
    slopes->byStraight << body.fx * d.col(0), body.fy * d.col(1);
    slopes->byBody << slopes->byStraight * n, d;
    slopes->byCoefficients.setZero();
    return true;
  }
  const double rr = n.squaredNorm();
  // As far as radii grow; the coefficients across the radius are small beside it.
  if (model == Model::BrownConrady ? !(1 + rr * (3 * k1 + rr * (5 * k2 + rr * 7 * k3)) > 0)
                                   : !(rr < foldRadius() * foldRadius()))
    return false;
  const Vec2 bent = slopes ? bend(n, &slopes->byStraight, &slopes->byCoefficients) : bend(n);
  // A squeeze narrows about its own line: as a shorter focal length across, and a shift.
  const double across = body.fx / squeeze;
  plate = {body.cx + squeezeCentrePx * (1 - 1 / squeeze) + across * bent.x(), body.cy + body.fy * bent.y()};
  if (slopes) {
    const Eigen::Array2d scale(across, body.fy);
    slopes->byStraight.array().colwise() *= scale;
    slopes->byCoefficients.array().colwise() *= scale;
    slopes->byBody << across * bent.x(), 1, 0, body.fy * bent.y(), 0, 1;
  }
  return true;
}

bool Lens::unproject(const Vec2& plate, const Body& body, Vec2& straight) const {
  if (maps) {
    Vec2 s;
    if (!maps->redistort.at(plate, s)) return false;
    straight = {(s.x() - body.cx) / body.fx, (s.y() - body.cy) / body.fy};
    return true;
  }
  const double x = plate.x() - body.cx - squeezeCentrePx;
  return straighten({(x * squeeze + squeezeCentrePx) / body.fx, (plate.y() - body.cy) / body.fy}, straight);
}

bool Lens::straighten(const Vec2& bent, Vec2& straight) const {
  if (k1 == 0 && k2 == 0 && k3 == 0 && p1 == 0 && p2 == 0) {
    straight = bent;
    return true;
  }
  if (model == Model::Division) {
    const double rr = bent.squaredNorm(), scale = 1 + rr * (k1 + rr * k2);
    // Where the straight radius no longer grows with the bent one: scale = 2 rr (k1 + 2 k2 rr).
    if (!(scale > 1e-6) || !(scale - 2 * rr * (k1 + 2 * k2 * rr) > 1e-6)) return false;
    straight = bent / scale;
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
  if (model == Model::Division) {
    // The straight radius r' / (1 + k1 r'^2 + k2 r'^4) is greatest where its derivative is zero: 1 = k1 s + 3 k2 s^2.
    double s = std::numeric_limits<double>::infinity();
    if (k2 == 0) {
      if (k1 > 0) s = 1 / k1;
    } else if (const double d = k1 * k1 + 12 * k2; d >= 0) {
      for (const double root : {(-k1 + std::sqrt(d)) / (6 * k2), (-k1 - std::sqrt(d)) / (6 * k2)})
        if (root > 0) s = std::min(s, root);
    }
    const double scale = 1 + s * (k1 + s * k2);
    return std::isfinite(s) && scale > 0 ? std::sqrt(s) / scale : std::numeric_limits<double>::infinity();
  }
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
    : Body{focalX, focalY, centreX, centreY}, lens(l) {
  const double r = l.foldRadius();
  fold = r * r;
}

bool LensOnPixels::plateFromStraight(const Vec2& straight, Vec2& plate) const {
  if (lens.maps) return lens.maps->undistort.at(straight, plate);
  const Vec2 n((straight.x() - cx) / fx, (straight.y() - cy) / fy);
  return n.squaredNorm() < fold && lens.project(n, *this, plate);
}

bool LensOnPixels::straightFromPlate(const Vec2& plate, Vec2& straight) const {
  if (lens.maps) return lens.maps->redistort.at(plate, straight);
  Vec2 n;
  if (!lens.unproject(plate, *this, n) || n.squaredNorm() >= fold) return false;
  straight = {cx + fx * n.x(), cy + fy * n.y()};
  return true;
}

unsigned LensOnPixels::straightFromPlate(Vec2 (&positions)[4]) const {
  if (lens.maps || lens.model != Model::BrownConrady || lens.squeeze != 1) {
    unsigned found = 0;
    for (unsigned k = 0; k < 4; ++k) {
      Vec2 s;
      if (!straightFromPlate(positions[k], s)) continue;
      positions[k] = s;
      found |= 1U << k;
    }
    return found;
  }
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
  if (lens.lens.maps) return {};  // what maps leave out was said when they were read
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

double edgeStretch(const LensOnPixels& lens, int width, int height) {
  double most = 1;
  alongEdge(width, height, [&](const Vec2& p) {
    Vec2 s, right, down;
    // Half a pixel inwards, so that a table of positions is not asked beyond its border.
    const Vec2 q(std::clamp(p.x(), 1.0, width - 2.0), std::clamp(p.y(), 1.0, height - 2.0));
    if (!lens.straightFromPlate(q, s) || !lens.straightFromPlate(q + Vec2(1, 0), right) ||
        !lens.straightFromPlate(q + Vec2(0, 1), down))
      return;
    most = std::max({most, (right - s).norm() / lens.lens.squeeze, (down - s).norm()});
  });
  return most;
}

Box straightBox(const LensOnPixels& lens, int width, int height) {
  if (lens.lens.maps) return lens.lens.maps->straight;
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
