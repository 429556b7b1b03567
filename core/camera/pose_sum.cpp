#include "core/camera/pose_sum.h"

#include <cmath>

namespace zentil::camera {

void PoseSum::add(const Pose& p, double weight, const Eigen::Quaterniond& like) {
  Eigen::Quaterniond q(p.rotation);
  if (q.dot(like) < 0) q.coeffs() *= -1;
  position_ += weight * p.position, turn_ += weight * q.coeffs();
  focalMm_ += weight * p.focalMm, weight_ += weight;
}

Pose PoseSum::pose() const {
  return {position_ / weight_, Eigen::Quaterniond(turn_.normalized()).toRotationMatrix(), focalMm_ / weight_};
}

std::map<int, Pose> smoothed(const std::map<int, Pose>& poses, double frames) {
  if (frames <= 0) return poses;
  std::map<int, Pose> out;
  const double sigma = std::max(0.25, frames / 2);
  for (const auto& [f, own] : poses) {
    const int reach =
        std::min({static_cast<int>(std::ceil(3 * sigma)), f - poses.begin()->first, poses.rbegin()->first - f});
    PoseSum sum;
    const Eigen::Quaterniond like(own.rotation);
    for (int k = -reach; k <= reach; ++k)
      if (poses.count(f - k) && poses.count(f + k))
        sum.add(poses.at(f + k), std::exp(-k * k / (2 * sigma * sigma)), like);
    out[f] = sum.pose();
  }
  return out;
}

}  // namespace zentil::camera
