#pragma once
#include <Eigen/Geometry>

#include "core/camera/camera.h"

namespace zentil::camera {

/// A weighted mean of poses: turns as quaternions of the sign of one of them, added up and brought back to length one
/// (Gramkow 2001, On Averaging Rotations).
class PoseSum {
 public:
  void add(const Pose& pose, double weight, const Eigen::Quaterniond& like);
  Pose pose() const;

 private:
  Vec3 position_ = Vec3::Zero();
  Eigen::Vector4d turn_ = Eigen::Vector4d::Zero();
  double focalMm_ = 0, weight_ = 0;
};

/// Each pose averaged with those around it, over about so many frames to each side, the nearer the more; as many on
/// both sides, so that an even move stays one up to its ends. 0: as they are.
std::map<int, Pose> smoothed(const std::map<int, Pose>& poses, double frames);

}  // namespace zentil::camera
