#include "core/track/pattern.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>

namespace zentil::track {

namespace {
/// Bells its weights: the middle counts most, since that is what the track is of.
float bell(int u, int v, int half) {
  const double s = 0.55 * half;
  return static_cast<float>(std::exp(-(u * u + v * v) / (2 * s * s)));
}
}  // namespace

Pattern::Pattern(const image::Grey& frame, const Vec2& at, int half) : half_(half) {
  const int side = 2 * half + 1, n = side * side;
  values_.resize(n), weights_.resize(n), slopes_.resize(n, 6);
  // The first pixel's centre is at 0.5 on the plate and at 0 in a grey picture.
  const float cx = static_cast<float>(at.x() - 0.5), cy = static_cast<float>(at.y() - 0.5);
  int i = 0;
  for (int v = -half; v <= half; ++v)
    for (int u = -half; u <= half; ++u, ++i) {
      const float x = cx + static_cast<float>(u), y = cy + static_cast<float>(v);
      weights_[i] = bell(u, v, half);
      values_[i] = smoothAt(frame, x, y);
      const float gx = smoothAt(frame, x + 0.5f, y) - smoothAt(frame, x - 0.5f, y),
                  gy = smoothAt(frame, x, y + 0.5f) - smoothAt(frame, x, y - 0.5f);
      const float fx = static_cast<float>(u) / static_cast<float>(half),
                  fy = static_cast<float>(v) / static_cast<float>(half);
      slopes_.row(i) << gx, gy, gx * fx, gy * fx, gx * fy, gy * fy;
    }
  weight_ = weights_.sum();
  values_ -= (weights_ * values_).sum() / static_cast<float>(weight_);
  variance_ = (weights_ * values_ * values_).sum();
  const Eigen::Matrix<float, Eigen::Dynamic, 6> weighted = slopes_.array().colwise() * weights_;
  Mat6 h = (slopes_.transpose() * weighted).cast<double>();
  slopes_ = weighted;
  const double strongest = Eigen::SelfAdjointEigenSolver<Mat2>(h.topLeftCorner<2, 2>()).eigenvalues()[1];
  holds_ = strongest > 0 && variance_ > 0;
  if (!holds_) return;
  // Shape is believed a little less than place, so that weak texture does not let it run away.
  for (int k = 2; k < 6; ++k) h(k, k) += 0.02 * strongest;
  inverse_ = h.inverse();
  holds_ = inverse_.allFinite();
}

Pattern::Answer Pattern::find(const image::Grey& frame, Pose& pose) const {
  Answer out;
  if (!holds_) return out;
  const Vec2 start = pose.at;
  Eigen::ArrayXf seen(values_.size());
  double left = 0;
  for (int round = 0; round < 20; ++round) {
    const Eigen::Vector2f dx = pose.shape.col(0).cast<float>(), dy = pose.shape.col(1).cast<float>();
    const Eigen::Vector2f middle = (pose.at - Vec2(0.5, 0.5)).cast<float>();
    int i = 0;
    for (int v = -half_; v <= half_; ++v) {
      const Eigen::Vector2f row = middle + static_cast<float>(v) * dy;
      for (int u = -half_; u <= half_; ++u, ++i) {
        const Eigen::Vector2f p = row + static_cast<float>(u) * dx;
        seen[i] = smoothAt(frame, p.x(), p.y());
      }
    }
    seen -= (weights_ * seen).sum() / static_cast<float>(weight_);
    const double both = (weights_ * seen * values_).sum(), own = (weights_ * seen * seen).sum();
    if (!(own > 1e-12)) return out;
    out.alike = both / std::sqrt(own * variance_);
    if (out.alike < 0.3) return out;
    seen = static_cast<float>(std::clamp(both / own, 0.3, 3.0)) * seen - values_;
    left = (weights_ * seen * seen).sum();
    const Eigen::Matrix<double, 6, 1> d = inverse_ * (slopes_.transpose() * seen.matrix()).cast<double>();
    Mat2 change;
    change << 1 + d[2] / half_, d[4] / half_, d[3] / half_, 1 + d[5] / half_;
    if (!(std::abs(change.determinant()) > 0.2)) return out;
    pose.shape = pose.shape * change.inverse();
    pose.at -= pose.shape * d.head<2>();
    if ((pose.at - start).norm() > 0.5 * half_ || !pose.shape.allFinite()) return out;
    if (d.head<2>().norm() < 0.003) {
      out.found = true;
      break;
    }
  }
  const Mat2 place = inverse_.topLeftCorner<2, 2>();
  out.sigmaPx = std::sqrt(std::max(0.0, place.trace() * left / weight_));
  return out;
}

}  // namespace zentil::track
