#include "core/sphere/relative.h"

#include <ceres/ceres.h>
#include <ceres/rotation.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::sphere {
namespace {

constexpr int kLeast = 8;
/// Nothing is measured better than this, radians: a twentieth of a pixel where 2048 go around.
constexpr double kFinest = 1.5e-4;

double angle(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

/// How far apart a direction lies from where it was expected: across the way that travel moves it, and along it, where
/// only going back counts.
template <typename T>
void apart(const Eigen::Matrix<T, 3, 1>& expected, const Vec3& seen, const Eigen::Matrix<T, 3, 1>& travel, T* out) {
  using V = Eigen::Matrix<T, 3, 1>;
  const V s(T(seen.x()), T(seen.y()), T(seen.z()));
  const V across = expected.cross(travel);
  // Near where things come from nothing says across what they move: there the direction is worth as much as it is long.
  const T length = ceres::sqrt(across.squaredNorm() + T(1e-6));
  const V side = across / length, way = side.cross(expected);
  out[0] = side.dot(s);
  const T along = way.dot(s);
  out[1] = along < T(0) ? along : T(0);
}

struct Travelled {
  Vec3 first, second;
  double sigma;
  template <typename T>
  bool operator()(const T* turn, const T* travel, T* out) const {
    T a[3] = {T(first.x()), T(first.y()), T(first.z())}, r[3];
    ceres::AngleAxisRotatePoint(turn, a, r);
    apart<T>({r[0], r[1], r[2]}, second, {travel[0], travel[1], travel[2]}, out);
    out[0] /= T(sigma), out[1] /= T(sigma);
    return true;
  }
};

struct Turned {
  Vec3 first, second;
  double sigma;
  template <typename T>
  bool operator()(const T* turn, T* out) const {
    T a[3] = {T(first.x()), T(first.y()), T(first.z())}, r[3];
    ceres::AngleAxisRotatePoint(turn, a, r);
    for (int i = 0; i < 3; ++i) out[i] = (r[i] - T(second[i])) / T(sigma);
    return true;
  }
};

/// What one pair is apart, radians.
double apartOf(const Mat3& rotation, const Vec3& travel, const Vec3& first, const Vec3& second) {
  const Vec3 expected = rotation * first;
  if (travel.isZero()) return angle(expected, second);
  double out[2];
  apart<double>(expected, second, travel, out);
  return std::hypot(out[0], out[1]);
}

std::vector<double> allApart(const Mat3& rotation, const Vec3& travel, const std::vector<Vec3>& first,
                             const std::vector<Vec3>& second) {
  std::vector<double> out(first.size());
  for (size_t i = 0; i < first.size(); ++i) out[i] = apartOf(rotation, travel, first[i], second[i]);
  return out;
}

/// The rotation that most pairs agree with, each worth less the further it is off.
Mat3 agreedRotation(const std::vector<Vec3>& first, const std::vector<Vec3>& second) {
  std::mt19937 random(7);
  std::uniform_int_distribution<size_t> pick(0, first.size() - 1);
  Mat3 best = Mat3::Identity();
  double least = HUGE_VAL;
  const auto consider = [&](const Mat3& r) {
    constexpr double kFar = 2.0 * M_PI / 180;
    double sum = 0;
    for (size_t i = 0; i < first.size() && sum < least; ++i) sum += std::min(kFar, (r * first[i] - second[i]).norm());
    if (sum < least) least = sum, best = r;
  };
  consider(best);
  for (int k = 0; k < 300; ++k) {
    const size_t i = pick(random), j = pick(random);
    if (first[i].cross(first[j]).norm() < 0.2) continue;
    consider(
        nearestRotation(second[i] * first[i].transpose() + second[j] * first[j].transpose() +
                        second[i].cross(second[j]).normalized() * first[i].cross(first[j]).normalized().transpose()));
  }
  return best;
}

/// Rotation, and travel where it is not zero, under a robust loss. Returns the standard error.
double improve(Mat3& rotation, Vec3& travel, double sigma, const std::vector<Vec3>& first,
               const std::vector<Vec3>& second) {
  double turn[3], way[3] = {travel.x(), travel.y(), travel.z()};
  const Eigen::AngleAxisd begin(rotation);
  const Vec3 about = begin.angle() * begin.axis();
  std::copy_n(about.data(), 3, turn);
  const bool travels = !travel.isZero();
  ceres::Problem problem;
  for (size_t i = 0; i < first.size(); ++i) {
    auto* loss = new ceres::CauchyLoss(2.0);
    if (travels)
      problem.AddResidualBlock(
          new ceres::AutoDiffCostFunction<Travelled, 2, 3, 3>(new Travelled{first[i], second[i], sigma}), loss, turn,
          way);
    else
      problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Turned, 3, 3>(new Turned{first[i], second[i], sigma}),
                               loss, turn);
  }
  if (travels) problem.SetManifold(way, new ceres::SphereManifold<3>());
  ceres::Solver::Options options;
  options.linear_solver_type = ceres::DENSE_QR;
  options.logging_type = ceres::SILENT;
  options.max_num_iterations = 30;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  if (!summary.IsSolutionUsable()) return HUGE_VAL;
  const Vec3 found(turn[0], turn[1], turn[2]);
  rotation = found.norm() > 0 ? Eigen::AngleAxisd(found.norm(), found.normalized()).toRotationMatrix()
                              : Mat3(Mat3::Identity());
  if (travels) travel = Vec3(way[0], way[1], way[2]).normalized();
  ceres::Covariance::Options co;
  co.algorithm_type = ceres::DENSE_SVD, co.null_space_rank = -1;
  ceres::Covariance covariance(co);
  double of[9];
  const std::vector<std::pair<const double*, const double*>> occludes = {{turn, turn}};
  if (!covariance.Compute(occludes, &problem) || !covariance.GetCovarianceBlock(turn, turn, of)) return HUGE_VAL;
  return std::sqrt((of[0] + of[4] + of[8]) / 3);
}

/// Where things may be going: where that leaves the least, of directions all around.
Vec3 likelyTravel(const Mat3& rotation, const Vec3& last, const std::vector<Vec3>& first,
                  const std::vector<Vec3>& second, double enough) {
  Vec3 best = Vec3::UnitZ();
  double least = HUGE_VAL;
  const auto consider = [&](const Vec3& way) {
    double sum = 0;
    for (size_t i = 0; i < first.size() && sum < least; ++i)
      sum += std::min(enough, apartOf(rotation, way, first[i], second[i]));
    if (sum < least) least = sum, best = way;
  };
  // Evenly over the sphere (a spiral: Saff and Kuijlaars 1997).
  constexpr int kWays = 120;
  for (int i = 0; i < kWays; ++i) {
    const double y = 1 - 2 * (i + 0.5) / kWays, level = std::sqrt(1 - y * y), at = i * 2.399963;
    consider({std::cos(at) * level, y, std::sin(at) * level});
  }
  if (!last.isZero()) consider(last);
  return best;
}

}  // namespace

int Relative::agreeing() const { return static_cast<int>(std::count(agree.begin(), agree.end(), true)); }

Relative relativeOf(const std::vector<Vec3>& first, const std::vector<Vec3>& second, const Vec3& lastTravel) {
  if (first.size() < kLeast || first.size() != second.size())
    throw Error("too little is seen again to say how the sphere turned", "Something with texture has to be seen");
  // A median says how far apart good pairs are, in one direction: 0.67 of the standard deviation for one, 1.18 for two.
  const auto spread = [](const std::vector<double>& apart, double ofMedian) {
    return std::max(kFinest, medianOf(apart) / ofMedian);
  };
  Mat3 turned = agreedRotation(first, second);
  Vec3 still = Vec3::Zero();
  double sigmaTurned = 0, errorTurned = 0;
  for (int round = 0; round < 3; ++round) {
    sigmaTurned = spread(allApart(turned, still, first, second), 1.18);
    errorTurned = improve(turned, still, sigmaTurned, first, second);
  }
  sigmaTurned = spread(allApart(turned, still, first, second), 1.18);

  Mat3 both = turned;
  Vec3 travel = likelyTravel(both, lastTravel, first, second, 3 * sigmaTurned);
  double sigmaBoth = sigmaTurned, errorBoth = 0;
  for (int round = 0; round < 4; ++round) {
    errorBoth = improve(both, travel, sigmaBoth, first, second);
    // Half of them lie along the way, where nothing is apart: what is left is one direction.
    sigmaBoth = spread(allApart(both, travel, first, second), 0.67);
  }
  // Travel has to earn its freedom: each pair's distance.
  // What the formal errors do not know is shared by features that lie near each other: halves of them say.
  const auto byHalves = [&](const Mat3& rotation, const Vec3& travel, double sigma) {
    constexpr int kSplits = 4;
    std::mt19937 random(11);
    double squares = 0;
    for (int split = 0; split < kSplits; ++split) {
      std::vector<Vec3> a[2], b[2];
      for (size_t i = 0; i < first.size(); ++i) {
        const size_t half = random() % 2;
        a[half].push_back(first[i]), b[half].push_back(second[i]);
      }
      Mat3 found[2] = {rotation, rotation};
      for (const int half : {0, 1}) {
        Vec3 way = travel;
        if (a[half].size() >= kLeast) improve(found[half], way, sigma, a[half], b[half]);
      }
      const double apart = Eigen::AngleAxisd(found[0].transpose() * found[1]).angle();
      // Three axes; each half is twice as uncertain, and they differ by both.
      squares += apart * apart / 3 / 4 / kSplits;
    }
    return std::sqrt(squares);
  };
  const bool travels = sigmaBoth < 0.75 * sigmaTurned && std::isfinite(errorBoth);
  Relative out;
  out.rotation = travels ? both : turned;
  out.travel = travels ? travel : still;
  out.sigma = std::max(travels ? errorBoth : errorTurned,
                       byHalves(out.rotation, out.travel, travels ? sigmaBoth : sigmaTurned));
  out.residual = travels ? sigmaBoth : sigmaTurned;
  const auto apart = allApart(out.rotation, out.travel, first, second);
  out.agree.reserve(apart.size());
  for (const double a : apart) out.agree.push_back(a < 4 * out.residual);
  if (out.agreeing() < kLeast || !std::isfinite(out.sigma))
    throw Error("the tracked features disagree about how the sphere turned",
                "Put moving things under the tracking matte");
  return out;
}

}  // namespace zentil::sphere
