#include "core/track/pattern.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>

#include "core/base/matrices.h"

namespace zentil::track {

namespace {
/// Bells its weights: the middle counts most, since that is what the track is of.
float bell(int u, int v, double s) { return static_cast<float>(std::exp(-(u * u + v * v) / (2 * s * s))); }
constexpr double kShared = 4;  ///< pixels that share their noise where a frame is read smoothed
constexpr float kTrusted = 3;  ///< times what is usual: there it counts half
}  // namespace

Pattern::Pattern(const image::Grey& frame, const Vec2& at, int half, double spread) : half_(half) {
  const int side = 2 * half + 1, n = side * side;
  values_.resize(n), weights_.resize(n), slopes_.resize(n, 6);
  // The first pixel's centre is at 0.5 on the plate and at 0 in a grey picture.
  const float cx = static_cast<float>(at.x() - 0.5), cy = static_cast<float>(at.y() - 0.5);
  const auto value = [&](int u, int v) {
    return smoothAt(frame, cx + static_cast<float>(u), cy + static_cast<float>(v));
  };
  // A ring wider than the pattern, for its slopes.
  const int wide = half + 1;
  Eigen::ArrayXXf around(2 * wide + 1, 2 * wide + 1);
  for (int v = -wide; v <= wide; ++v)
    for (int u = -wide; u <= wide; ++u) around(u + wide, v + wide) = value(u, v);
  int i = 0;
  for (int v = -half; v <= half; ++v)
    for (int u = -half; u <= half; ++u, ++i) {
      const int x = u + wide, y = v + wide;
      weights_[i] = bell(u, v, spread * half);
      values_[i] = around(x, y);
      const float gx = 0.5f * (around(x + 1, y) - around(x - 1, y)), gy = 0.5f * (around(x, y + 1) - around(x, y - 1));
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
  const double strongest = axesOf(Mat2(h.topLeftCorner<2, 2>())).values[1];
  holds_ = strongest > 0 && variance_ > 0;
  if (!holds_) return;
  // Shape is believed a little less than place, so that weak texture does not let it run away.
  for (int k = 2; k < 6; ++k) h(k, k) += 0.02 * strongest;
  inverse_ = h.inverse();
  holds_ = inverse_.allFinite();
}

void Pattern::sample(const image::Grey& frame, const Pose& pose, Eigen::ArrayXf& seen) const {
  const Eigen::Vector2f dx = pose.shape.col(0).cast<float>(), dy = pose.shape.col(1).cast<float>();
  const Eigen::Vector2f middle = (pose.at - Vec2(0.5, 0.5)).cast<float>();
  const Eigen::Vector2f reach = static_cast<float>(half_) * (dx.cwiseAbs() + dy.cwiseAbs());
  const Eigen::Vector2f least = middle - reach, most = middle + reach;
  const bool inside = least.minCoeff() >= 2 && most.x() < static_cast<float>(frame.width - 3) &&
                      most.y() < static_cast<float>(frame.height - 3);
  int i = 0;
  for (int v = -half_; v <= half_; ++v) {
    Eigen::Vector2f p = middle + static_cast<float>(v) * dy - static_cast<float>(half_) * dx;
    if (inside)
      for (int u = -half_; u <= half_; ++u, ++i, p += dx) seen[i] = smoothInside(frame, p.x(), p.y());
    else
      for (int u = -half_; u <= half_; ++u, ++i, p += dx) seen[i] = smoothAt(frame, p.x(), p.y());
  }
}

void Pattern::held(const Eigen::ArrayXf& off, double noise, const Mat2& bent, double bend, Mat6& inverse,
                   Vec6& pull) const {
  // What stands before a part of it, or shines there, counts less the further off it is (Cauchy).
  Eigen::ArrayXf size = off.abs();
  std::nth_element(size.begin(), size.begin() + size.size() / 2, size.end());
  const float scale = kTrusted * 1.4826f * std::max(1e-9f, size[size.size() / 2]);
  const Eigen::ArrayXf trust = (1 + (off / scale).square()).inverse();
  const Eigen::Matrix<float, Eigen::Dynamic, 6> trusted = slopes_.array().colwise() * trust,
                                                bare = slopes_.array().colwise() / weights_;
  Mat6 h = (bare.transpose() * trusted).cast<double>();
  pull = Eigen::Matrix<float, 6, 1>(trusted.transpose() * off.matrix()).cast<double>();
  const double stiff = noise / std::pow(bend * half_, 2);
  h.diagonal().tail<4>().array() += stiff;
  pull.tail<4>() += stiff * half_ * bent.reshaped();
  inverse = h.inverse();
}

Pattern::Answer Pattern::find(const image::Grey& frame, Pose& pose, double bend) const {
  Answer out;
  if (!holds_) return out;
  const Vec2 start = pose.at;
  const Mat2 unbent = pose.shape.inverse();
  Mat6 inverse = inverse_;
  Eigen::ArrayXf seen(values_.size());
  double left = 0;
  // Neighbouring pixels share their noise, since the frame is read smoothed.
  const auto noise = [&](double l) { return kShared * l / weight_; };
  for (int round = 0; round < 20; ++round) {
    sample(frame, pose, seen);
    seen -= (weights_ * seen).sum() / static_cast<float>(weight_);
    const double both = (weights_ * seen * values_).sum(), own = (weights_ * seen * seen).sum();
    if (!(own > 1e-12)) return out;
    out.correlation = both / std::sqrt(own * variance_);
    if (out.correlation < 0.3) return out;
    seen = static_cast<float>(std::clamp(both / own, 0.3, 3.0)) * seen - values_;
    left = (weights_ * seen * seen).sum();
    Vec6 pull;
    if (bend > 0)
      held(seen, noise(left), unbent * pose.shape - Mat2::Identity(), bend, inverse, pull);
    else
      pull = Eigen::Matrix<float, 6, 1>(slopes_.transpose() * seen.matrix()).cast<double>();
    const Vec6 d = inverse * pull;
    Mat2 change;
    change << 1 + d[2] / half_, d[4] / half_, d[3] / half_, 1 + d[5] / half_;
    if (!(std::abs(change.determinant()) > 0.2)) return out;
    pose.shape = pose.shape * change.inverse();
    pose.at -= pose.shape * d.head<2>();
    if ((pose.at - start).norm() > 0.5 * half_ || !pose.shape.allFinite()) return out;
    // Steps shrink several times a round: what is left is far less than this one.
    if (d.head<2>().norm() < 0.01) {
      out.found = true;
      break;
    }
  }
  out.spread = noise(left) * inverse.topLeftCorner<2, 2>();
  return out;
}

std::optional<Pattern::Pose> Pattern::again(const image::Grey& frame, const Pose& about, double reach,
                                            double least) const {
  // Bent enough, anything is like anything.
  constexpr double kStep = 3, kApart = 2, kBent = 0.2;
  const Mat2 unbent = about.shape.inverse();
  const int n = static_cast<int>(std::ceil(reach / kStep));
  struct Found {
    double alike;
    Pose pose;
  };
  std::vector<Found> all;
  for (int v = -n; v <= n; ++v)
    for (int u = -n; u <= n; ++u) {
      Pose pose{about.at + kStep * Vec2(u, v), about.shape};
      const Answer answer = find(frame, pose);
      if (answer.found && (pose.at - about.at).norm() <= reach &&
          (unbent * pose.shape - Mat2::Identity()).cwiseAbs().maxCoeff() < kBent)
        all.push_back({answer.correlation, pose});
    }
  const auto best =
      std::max_element(all.begin(), all.end(), [](const Found& a, const Found& b) { return a.alike < b.alike; });
  if (best == all.end() || best->alike < least) return std::nullopt;
  for (const Found& f : all)
    if ((f.pose.at - best->pose.at).norm() > kApart && 1 - f.alike < 2 * (1 - best->alike)) return std::nullopt;
  return best->pose;
}

Pattern::SubBlocks Pattern::misfit(const image::Grey& frame, const Pose& pose) const {
  SubBlocks out{};
  Eigen::ArrayXf seen(values_.size());
  sample(frame, pose, seen);
  seen -= (weights_ * seen).sum() / static_cast<float>(weight_);
  const double both = (weights_ * seen * values_).sum(), own = (weights_ * seen * seen).sum();
  const float gain = own > 1e-12 ? static_cast<float>(std::clamp(both / own, 0.3, 3.0)) : 1.0f;
  const int side = 2 * half_ + 1;
  std::array<double, 9> count{};
  for (int v = 0; v < side; ++v)
    for (int u = 0; u < side; ++u) {
      const int ninth = 3 * v / side * 3 + 3 * u / side;
      const auto part = static_cast<size_t>(ninth);
      const int i = v * side + u;
      out[part] += std::pow(gain * seen[i] - values_[i], 2), count[part] += 1;
    }
  const double variance = values_.square().mean();
  for (size_t k = 0; k < 9; ++k) out[k] /= count[k] * std::max(1e-12, variance);
  return out;
}

}  // namespace zentil::track
