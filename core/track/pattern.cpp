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
  const int side = 2 * half + 1;
  const size_t n = static_cast<size_t>(side) * side;
  values_.resize(n), weights_.resize(n), gx_.resize(n), gy_.resize(n);
  // The first pixel's centre is at 0.5 on the plate and at 0 in a grey picture.
  const float cx = static_cast<float>(at.x() - 0.5), cy = static_cast<float>(at.y() - 0.5);
  double sum = 0, mean = 0, mx = 0, my = 0;
  size_t i = 0;
  for (int v = -half; v <= half; ++v)
    for (int u = -half; u <= half; ++u, ++i) {
      const float x = cx + static_cast<float>(u), y = cy + static_cast<float>(v);
      weights_[i] = bell(u, v, half);
      values_[i] = cubicAt(frame, x, y);
      gx_[i] = 0.5f * (cubicAt(frame, x + 1, y) - cubicAt(frame, x - 1, y));
      gy_[i] = 0.5f * (cubicAt(frame, x, y + 1) - cubicAt(frame, x, y - 1));
      const double w = weights_[i];
      sum += w, mean += w * values_[i], mx += w * gx_[i], my += w * gy_[i];
    }
  mean /= sum, mx /= sum, my /= sum;
  Mat6 h = Mat6::Zero();
  i = 0;
  for (int v = -half; v <= half; ++v)
    for (int u = -half; u <= half; ++u, ++i) {
      values_[i] -= static_cast<float>(mean);
      variance_ += weights_[i] * values_[i] * values_[i];
      const double gx = gx_[i], gy = gy_[i], x = static_cast<double>(u) / half, y = static_cast<double>(v) / half;
      Eigen::Matrix<double, 6, 1> j;
      j << gx, gy, gx * x, gy * x, gx * y, gy * y;
      h += weights_[i] * j * j.transpose();
    }
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
  std::vector<float> seen(values_.size());
  double left = 0, total = 0;
  for (int round = 0; round < 20; ++round) {
    double sum = 0, mean = 0;
    size_t i = 0;
    for (int v = -half_; v <= half_; ++v)
      for (int u = -half_; u <= half_; ++u, ++i) {
        const Vec2 p = pose.at + pose.shape * Vec2(u, v);
        seen[i] = cubicAt(frame, static_cast<float>(p.x() - 0.5), static_cast<float>(p.y() - 0.5));
        sum += weights_[i], mean += weights_[i] * seen[i];
      }
    mean /= sum;
    double both = 0, own = 0;
    for (i = 0; i < seen.size(); ++i) {
      seen[i] -= static_cast<float>(mean);
      both += weights_[i] * seen[i] * values_[i];
      own += weights_[i] * seen[i] * seen[i];
    }
    if (!(own > 1e-12)) return out;
    out.alike = both / std::sqrt(own * variance_);
    if (out.alike < 0.3) return out;
    const double gain = std::clamp(both / own, 0.3, 3.0);
    Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
    left = 0, total = sum;
    i = 0;
    for (int v = -half_; v <= half_; ++v)
      for (int u = -half_; u <= half_; ++u, ++i) {
        const double r = gain * seen[i] - values_[i], w = weights_[i] * r;
        left += w * r;
        const double gx = w * gx_[i], gy = w * gy_[i], x = static_cast<double>(u) / half_,
                     y = static_cast<double>(v) / half_;
        b[0] += gx, b[1] += gy, b[2] += gx * x, b[3] += gy * x, b[4] += gx * y, b[5] += gy * y;
      }
    const Eigen::Matrix<double, 6, 1> d = inverse_ * b;
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
  out.sigmaPx = std::sqrt(std::max(0.0, place.trace() * left / total));
  return out;
}

}  // namespace zentil::track
