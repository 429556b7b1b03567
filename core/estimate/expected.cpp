#include "core/estimate/expected.h"

#include <cmath>

#include "core/base/matrices.h"
#include "core/estimate/spot_picture.h"

namespace zentil::estimate {
namespace {

constexpr int kFrames = 40;               ///< that are asked, the nearest
constexpr double kFits = 1, kTold = 2.5;  ///< pixels: of its own frames, and of the place that is said
constexpr double kNoise = 0.2;            ///< pixels that a tracker is off at the least

class World {
 public:
  explicit World(const shot::Shot& shot) : shot_(shot) {}

  std::optional<Vec2> operator()(const track::Track& t, int frame) {
    if (shot_.projection == shot::Projection::Sphere || !shot_.hasCamera(frame)) return std::nullopt;
    std::vector<int> frames;
    for (int away = 1; away < shot_.range.count() && frames.size() < kFrames; ++away)
      for (const int f : {frame - away, frame + away})
        if (t.has(f) && shot_.hasCamera(f)) frames.push_back(f);
    if (frames.size() < 3) return std::nullopt;
    // A pixel of one of its frames, and how near it is: 1 / depth.
    const int home = frames.front();
    Vec3 q(t.where(home).x(), t.where(home).y(), kFar);
    double error = 0;
    Mat3 normal;
    if (!fit(t, frames, home, q, normal, error)) return std::nullopt;
    const double rms = std::sqrt(error / static_cast<double>(2 * frames.size() - 3));
    if (!(rms < kFits)) return std::nullopt;
    Vec2 at;
    Eigen::Matrix<double, 2, 3> slopes;
    if (!seen(home, q, frame, at, &slopes)) return std::nullopt;
    const Mat3 spread = std::pow(std::max(rms, kNoise), 2) * normal.inverse();
    const double sigma = std::sqrt((slopes * spread * slopes.transpose()).trace());
    if (!(sigma < kTold)) return std::nullopt;
    return at;
  }

 private:
  static constexpr double kFar = 1e-6;

  const Eye& eye(int frame) {
    auto it = eyes_.find(frame);
    if (it == eyes_.end()) it = eyes_.emplace(frame, Eye(shot_, frame, 0.5 * shot_.height)).first;
    return it->second;
  }

  /// Where a place is seen on a frame, and how that changes with its three numbers.
  bool seen(int home, const Vec3& q, int frame, Vec2& at, Eigen::Matrix<double, 2, 3>* slopes) {
    const Eye& from = eye(home);
    const auto project = [&](const Vec3& p, Vec2& out) {
      Vec3 way;
      if (!from.ray(p.head<2>(), way)) return false;
      return eye(frame).project(from.camera.position + way / std::max(p.z(), kFar / 2), out);
    };
    if (!project(q, at)) return false;
    if (!slopes) return true;
    for (int k = 0; k < 3; ++k) {
      const double step = k < 2 ? 0.01 : 1e-4 * q.z() + kFar / 10;
      Vec3 p = q;
      p[k] += step;
      Vec2 there;
      if (!project(p, there)) return false;
      slopes->col(k) = (there - at) / step;
    }
    return true;
  }

  /// The place that is seen nearest to where the tracker was, least squares by Gauss and Newton.
  bool fit(const track::Track& t, const std::vector<int>& frames, int home, Vec3& q, Mat3& normal, double& error) {
    double before = 1e30;
    for (int round = 0; round < 20; ++round) {
      normal.setZero(), error = 0;
      Vec3 pull = Vec3::Zero();
      for (const int f : frames) {
        Vec2 at;
        Eigen::Matrix<double, 2, 3> slopes;
        if (!seen(home, q, f, at, &slopes)) return false;
        const Vec2 off = t.where(f) - at;
        normal += slopes.transpose() * slopes, pull += slopes.transpose() * off, error += off.squaredNorm();
      }
      // A camera that only turns tells no depth, and needs none.
      normal(2, 2) += 1e-12;
      if (std::abs(before - error) < 1e-9 * before) return true;
      before = error;
      const Vec3 step = solveSymmetric(normal, pull);
      if (!step.allFinite()) return false;
      q += step;
      q.z() = std::max(q.z(), kFar);
    }
    return true;
  }

  const shot::Shot& shot_;
  std::map<int, Eye> eyes_;
};

}  // namespace

track::Expected expectedBy(const shot::Shot& shot) {
  auto world = std::make_shared<World>(shot);
  return [world](const track::Track& t, int frame) { return (*world)(t, frame); };
}

}  // namespace zentil::estimate
