#include "core/camera/camera.h"

#include <Eigen/LU>
#include <cmath>

#include "core/base/error.h"

namespace zentil::camera {

bool Camera::project(const Vec3& world, Vec2& pixel) const {
  const Vec3 q = rotation.transpose() * (world - position);
  if (!(q.z() < -1e-9)) return false;
  pixel = {cx - fx * q.x() / q.z(), cy + fy * q.y() / q.z()};
  return true;
}

double Camera::depthOf(const Vec3& world) const { return -rotation.col(2).dot(world - position); }

FrameRange CameraPath::range() const {
  if (poses.empty()) return {};
  return {poses.begin()->first, poses.rbegin()->first};
}

double CameraPath::focalAt(int frame) const {
  if (poses.empty()) return focalMm > 0 ? focalMm : backWidthMm;
  const auto after = poses.lower_bound(frame);
  if (after == poses.begin()) return after->second.focalMm;
  const auto before = std::prev(after);
  if (after == poses.end()) return before->second.focalMm;
  return after->first - frame < frame - before->first ? after->second.focalMm : before->second.focalMm;
}

Camera CameraPath::bodyAt(int frame, int width, int height) const {
  const double focal = focalAt(frame);
  Camera c;
  c.fx = focal / backWidthMm * width;
  c.fy = focal / backHeightMm * height;
  c.cx = width / 2.0 + centreOffsetPx.x();
  c.cy = height / 2.0 + centreOffsetPx.y();
  return c;
}

Camera CameraPath::at(int frame, int width, int height) const {
  const auto it = poses.find(frame);
  if (it == poses.end())
    throw Error(fmt::format("frame {}: the camera has no pose there", frame),
                "Choose a frame the camera covers, or load a camera for the whole shot");
  Camera c = bodyAt(frame, width, height);
  c.position = it->second.position;
  c.rotation = it->second.rotation;
  return c;
}

std::vector<int> CameraPath::gaps(const FrameRange& range) const {
  std::vector<int> out;
  for (int f = range.first; f <= range.last; ++f)
    if (!has(f)) out.push_back(f);
  return out;
}

std::vector<std::string> problemsOf(const CameraPath& path) {
  std::vector<std::string> out;
  if (!(path.backWidthMm > 0) || !(path.backHeightMm > 0))
    out.push_back(
        fmt::format("the film back is {} x {} mm; both must be above zero", path.backWidthMm, path.backHeightMm));
  if (!(std::abs(path.readout) <= 1))
    out.push_back(fmt::format("the readout is {}; it is a part of a frame's time, from -1 to 1", path.readout));
  if (!path.centreOffsetPx.allFinite()) out.push_back("the optical centre is not a number");
  for (const auto& [frame, pose] : path.poses) {
    if (!pose.position.allFinite() || !pose.rotation.allFinite() || !std::isfinite(pose.focalMm))
      out.push_back(fmt::format("frame {}: the camera holds a value that is not a number", frame));
    else if (!(pose.focalMm > 0))
      out.push_back(fmt::format("frame {}: the focal length is {} mm; it must be above zero", frame, pose.focalMm));
    else if ((pose.rotation * pose.rotation.transpose() - Mat3::Identity()).cwiseAbs().maxCoeff() > 1e-3 ||
             pose.rotation.determinant() < 0)
      out.push_back(
          fmt::format("frame {}: the camera's rotation is not a rotation (scaled, sheared or mirrored)", frame));
    if (out.size() >= 8) break;
  }
  return out;
}

}  // namespace zentil::camera
