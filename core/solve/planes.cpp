#include "core/solve/planes.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/base/least_squares.h"
#include "core/base/matrices.h"

namespace zentil::solve {
namespace {

constexpr double kShortest = 0.35, kLongest = 8;  ///< focal lengths that are tried, frame widths
constexpr int kLengths = 16, kNormals = 150, kRefined = 24;

/// A homography between directions: from the first frame's (x, y, 1) to another's, for a focal length.
Mat3 between(const Mat3& pixels, double f) {
  const Vec3 scale(f, f, 1);
  return scale.cwiseInverse().asDiagonal() * pixels * scale.asDiagonal();
}

/// What two sides of the plane become; they should be as long as each other, and square.
struct Sides {
  Vec3 a, b;
  double unlike() const { return (a.squaredNorm() - b.squaredNorm()) / (a.squaredNorm() + b.squaredNorm()); }
  double askew() const { return 2 * a.dot(b) / (a.squaredNorm() + b.squaredNorm()); }
};

Sides sidesOf(const Mat3& m, const Vec3& normal) {
  const Vec3 u = normal.unitOrthogonal();
  return {m * u, m * normal.cross(u)};
}

/// Evenly spread over the half of the sphere about a direction (Fibonacci's spiral).
std::vector<Vec3> directionsAbout(const Vec3& middle) {
  const Vec3 axis = middle.normalized(), u = axis.unitOrthogonal(), v = axis.cross(u);
  std::vector<Vec3> out;
  for (int k = 0; k < kNormals; ++k) {
    // Not those that are looked along.
    const double z = 1 - (k + 0.5) / kNormals * 0.97, r = std::sqrt(1 - z * z), a = k * M_PI * (3 - std::sqrt(5.0));
    out.emplace_back(z * axis + r * std::cos(a) * u + r * std::sin(a) * v);
  }
  return out;
}

struct Guess {
  double f = 1;
  Vec3 normal = Vec3::UnitZ();
  double off = 1e9;
};

double offOf(const std::vector<Mat3>& seen, double f, const Vec3& normal) {
  double sum = 0;
  for (const Mat3& h : seen) {
    const Sides s = sidesOf(between(h, f), normal);
    sum += s.unlike() * s.unlike() + s.askew() * s.askew();
  }
  return std::sqrt(sum / (2 * static_cast<double>(seen.size())));
}

Guess refined(const std::vector<Mat3>& seen, const Guess& from, bool known) {
  const Vec3 u = from.normal.unitOrthogonal(), v = from.normal.cross(u);
  const auto at = [&](const double* x) {
    return Guess{known ? from.f : from.f * std::exp(x[2]), (from.normal + x[0] * u + x[1] * v).normalized()};
  };
  const auto found = leastSquares(
      [&](const double* x, double* out) {
        if (!known && std::abs(x[2]) > 2) return false;
        const Guess g = at(x);
        const Vec3 across = (u - g.normal * g.normal.dot(u)).normalized();
        for (const Mat3& h : seen) {
          const Mat3 m = between(h, g.f);
          const Sides s{m * across, m * g.normal.cross(across)};
          *out++ = s.unlike(), *out++ = s.askew();
        }
        return true;
      },
      static_cast<int>(2 * seen.size()), Eigen::VectorXd::Zero(known ? 2 : 3));
  Guess out = at(found.at.data());
  out.off = offOf(seen, out.f, out.normal);
  return out;
}

/// The view that a homography is, of the plane across `normal`.
View viewOf(const Mat3& m, const Vec3& normal, const Vec3& middle) {
  const Sides s = sidesOf(m, normal);
  const Vec3 u = normal.unitOrthogonal(), v = normal.cross(u);
  double size = 2 / (s.a.norm() + s.b.norm());
  if ((m * middle).z() < 0) size = -size;
  Mat3 from, to;
  from << u, v, normal;
  const Vec3 a = size * s.a, b = size * s.b;
  to << a, b, a.cross(b);
  View out;
  out.turn = nearestRotation(to * from.transpose());
  out.place = size * m * normal - out.turn * normal;
  return out;
}

}  // namespace

std::vector<PlaneWorld> planeWorlds(int first, const std::map<int, Mat3>& homographies, const Vec2& middle,
                                    double width, double known) {
  std::vector<Mat3> seen;
  seen.reserve(homographies.size());
  for (const auto& [f, h] : homographies) seen.push_back(h);
  if (seen.empty()) return {};
  std::vector<double> lengths = {known};
  if (!(known > 0)) {
    lengths.clear();
    for (int k = 0; k < kLengths; ++k)
      lengths.push_back(width * kShortest * std::pow(kLongest / kShortest, k / (kLengths - 1.0)));
  }
  std::vector<Guess> guesses;
  for (const double f : lengths)
    for (const Vec3& n : directionsAbout(Vec3(middle.x() / f, middle.y() / f, 1)))
      guesses.push_back({f, n, offOf(seen, f, n)});
  std::sort(guesses.begin(), guesses.end(), [](const Guess& a, const Guess& b) { return a.off < b.off; });
  guesses.resize(std::min<size_t>(guesses.size(), kRefined));
  for (Guess& g : guesses) g = refined(seen, g, known > 0);
  std::sort(guesses.begin(), guesses.end(), [](const Guess& a, const Guess& b) { return a.off < b.off; });
  std::vector<PlaneWorld> out;
  for (const Guess& g : guesses) {
    const Vec3 ray(middle.x() / g.f, middle.y() / g.f, 1);
    Vec3 n = g.normal;
    if (n.dot(ray) < 0) n = -n;
    const bool there = std::any_of(out.begin(), out.end(), [&](const PlaneWorld& w) {
      return std::abs(std::log(w.f / g.f)) < 0.1 && w.normal.dot(n) > std::cos(3 * M_PI / 180);
    });
    if (there || !(g.f > 0.1 * width) || g.off > 3 * guesses[0].off + 0.01 || out.size() == 4) continue;
    // A plane at a distance of one along its normal.
    PlaneWorld w{g.f, n, {{first, View{}}}, g.off};
    for (const auto& [frame, h] : homographies) w.views[frame] = viewOf(between(h, g.f), n, ray);
    out.push_back(std::move(w));
  }
  return out;
}

}  // namespace zentil::solve
