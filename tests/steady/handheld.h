#pragma once
#include <Eigen/Geometry>
#include <random>

#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil::test {

/// The wall seen by a camera in a trembling hand, which stands still where `walks` is 0; without pictures where only
/// the way is asked for.
inline shot::Shot handheld(const Folder& folder, double walks, int frames = 9, bool painted = true) {
  auto s = unpaintedWall(folder, frames, 480, 270);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  std::mt19937 dice(2);
  std::normal_distribution<double> tremble(0, 0.012);
  for (auto& [f, pose] : path->poses) {
    const double t = f - 1001;
    pose.position = Vec3(walks * (t - frames / 2), 1.5, 4);
    pose.rotation = (Eigen::AngleAxisd(tremble(dice), Vec3::UnitZ()) * Eigen::AngleAxisd(tremble(dice), Vec3::UnitX()) *
                     Eigen::AngleAxisd(tremble(dice), Vec3::UnitY()))
                        .toRotationMatrix();
  }
  s.camera = path;
  if (painted) paintWall(s, {1, 1, 1});
  set::Spot spot;
  spot.id = "o1", spot.name = "nail", spot.position = Vec3(0.1, 1.45, 0), spot.frame = 1003;
  s.spots.push_back(spot);
  s.steady.spot = "o1", s.steady.reference = 1003;
  return s;
}

}  // namespace zentil::test
