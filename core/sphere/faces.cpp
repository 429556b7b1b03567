#include "core/sphere/faces.h"

#include <cmath>

#include "core/map/between.h"
#include "core/map/lattice.h"
#include "core/map/resample.h"

namespace zentil::sphere {
namespace {

constexpr double kFov = 106;  ///< degrees; a sixth is 90
constexpr std::array<view::Steer, Faces::kCount> kSteers = {
    {{0, 0, 0, kFov}, {90, 0, 0, kFov}, {180, 0, 0, kFov}, {-90, 0, 0, kFov}, {0, 90, 0, kFov}, {0, -90, 0, kFov}}};

}  // namespace

Faces::Faces(int sphereWidth) {
  const double focal = sphereWidth / (2 * M_PI);
  size_ = std::max(64, static_cast<int>(std::lround(2 * focal * std::tan(kFov / 2 * M_PI / 180))));
  for (size_t i = 0; i < kSteers.size(); ++i) cameras_[i] = view::steered(kSteers[i], size_, size_);
}

std::array<image::Picture, Faces::kCount> Faces::of(const image::Picture& sphere, const Mat3& turned) const {
  const auto around = std::make_shared<view::Sphere>(sphere.display.width(), sphere.display.height());
  const Box box{0, 0, size_, size_};
  std::array<image::Picture, kCount> out;
  for (size_t i = 0; i < kSteers.size(); ++i) {
    camera::Camera camera = cameras_[i];
    camera.rotation = turned * camera.rotation;
    const auto places = map::Lattice::kept(map::Between(std::make_shared<view::Perspective>(camera), around), box);
    out[i] = map::resample(sphere, places, box, map::Filter::Sharp, image::Ends::Meet);
  }
  return out;
}

int Faces::faceOf(const Vec3& way) {
  int axis = 0;
  way.cwiseAbs().maxCoeff(&axis);
  if (axis == 1) return way.y() > 0 ? 4 : 5;
  if (axis == 0) return way.x() > 0 ? 1 : 3;
  return way.z() < 0 ? 0 : 2;
}

}  // namespace zentil::sphere
