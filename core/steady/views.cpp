#include "core/steady/views.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace zentil::steady {

view::OutputView steadiedView(const shot::Shot& s, const Path& path, int frame) {
  const auto it = path.looks.find(frame);
  if (it == path.looks.end())
    throw Error(fmt::format("there is no camera on frame {}", frame), "Solve it, or load one");
  view::ViewPtr steadied;
  if (s.projection == shot::Projection::Sphere)
    steadied = std::make_shared<view::Sphere>(s.width, s.height, it->second.rotation, it->second.position);
  else if (const auto held = path.through.find(frame); held != path.through.end())
    steadied = std::make_shared<view::Projective>(held->second, it->second.position);
  else
    steadied = std::make_shared<view::Perspective>(it->second);
  return {steadied, s.frameBox(), s.viewAt(frame)};
}

Mat3 flatAxes(const shot::Shot& s, const Path* path, int frame, bool ofWorld) {
  if (ofWorld) return Mat3::Identity();
  if (path && path->looks.count(frame)) return path->looks.at(frame).rotation;
  return s.hasCamera(frame) ? s.cameraAt(frame).rotation : Mat3(Mat3::Identity());
}

view::OutputView flatView(const shot::Shot& s, const Path* path, int frame, const view::Steer& steer, bool ofWorld) {
  const Vec3 position = s.hasCamera(frame) ? s.cameraAt(frame).position : Vec3(Vec3::Zero());
  return {std::make_shared<view::Perspective>(
              view::steered(steer, s.width, s.height, flatAxes(s, path, frame, ofWorld), position)),
          s.frameBox(), s.viewAt(frame)};
}

}  // namespace zentil::steady
