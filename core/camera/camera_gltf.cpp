#include "core/camera/camera_gltf.h"

#include <tiny_gltf.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/error.h"
#include "core/base/gltf.h"

namespace zentil::camera {
namespace {

using Values = std::vector<double>;

/// One animated property: times, values of n components, and how to go between.
struct Track {
  Values times, values;
  std::string how;
  size_t n = 3;

  Values at(double t) const {
    const auto key = [&](size_t i, size_t part) {  // cubic splines keep in-tangent, value, out-tangent
      const size_t first = how == "CUBICSPLINE" ? (i * 3 + part) * n : i * n;
      return Values(values.begin() + static_cast<long>(first), values.begin() + static_cast<long>(first + n));
    };
    const size_t last = times.size() - 1;
    if (t <= times.front()) return key(0, 1);
    if (t >= times.back()) return key(last, 1);
    size_t i = static_cast<size_t>(std::upper_bound(times.begin(), times.end(), t) - times.begin()) - 1;
    const double dt = times[i + 1] - times[i], u = (t - times[i]) / dt;
    if (how == "STEP") return key(i, 1);
    const Values a = key(i, 1), b = key(i + 1, 1);
    Values out(n);
    if (how == "CUBICSPLINE") {
      const Values ta = key(i, 2), tb = key(i + 1, 0);
      for (size_t k = 0; k < n; ++k)
        out[k] = (2 * u * u * u - 3 * u * u + 1) * a[k] + dt * (u * u * u - 2 * u * u + u) * ta[k] +
                 (-2 * u * u * u + 3 * u * u) * b[k] + dt * (u * u * u - u * u) * tb[k];
    } else if (n == 4) {
      const Eigen::Quaterniond q =
          Eigen::Quaterniond(a[3], a[0], a[1], a[2]).slerp(u, Eigen::Quaterniond(b[3], b[0], b[1], b[2]));
      out = {q.x(), q.y(), q.z(), q.w()};
    } else {
      for (size_t k = 0; k < n; ++k) out[k] = a[k] + u * (b[k] - a[k]);
    }
    return out;
  }
};

struct NodeTracks {
  std::map<std::string, Track> tracks;
};

Eigen::Affine3d gltfTransformOf(const tinygltf::Node& node, const NodeTracks* animated, double t) {
  if (!animated) return standing(node);
  const auto value = [&](const char* path, const Values& still, const Values& otherwise) {
    if (const auto it = animated->tracks.find(path); it != animated->tracks.end()) return it->second.at(t);
    return still.empty() ? otherwise : still;
  };
  const Values p = value("translation", node.translation, {0, 0, 0}),
               q = value("rotation", node.rotation, {0, 0, 0, 1}), s = value("scale", node.scale, {1, 1, 1});
  Eigen::Affine3d m = Eigen::Affine3d::Identity();
  m.translate(Vec3(p[0], p[1], p[2]));
  m.rotate(Eigen::Quaterniond(q[3], q[0], q[1], q[2]).normalized());
  m.scale(Vec3(s[0], s[1], s[2]));
  return m;
}

/// Nodes from a root down to the first one with a perspective camera; empty when there is none below.
std::vector<int> findCamera(const tinygltf::Model& m, int node, int depth = 0) {
  if (node < 0 || static_cast<size_t>(node) >= m.nodes.size() || depth > 64) return {};
  const auto& n = m.nodes[static_cast<size_t>(node)];
  if (n.camera >= 0 && static_cast<size_t>(n.camera) < m.cameras.size() &&
      m.cameras[static_cast<size_t>(n.camera)].type == "perspective")
    return {node};
  for (const int child : n.children) {
    auto below = findCamera(m, child, depth + 1);
    if (!below.empty()) {
      below.insert(below.begin(), node);
      return below;
    }
  }
  return {};
}

}  // namespace

CameraPath readCameraGltf(const std::filesystem::path& file, const CameraFileContext& context) {
  const auto read = readGltf(file);
  const tinygltf::Model& model = *read;
  std::vector<int> chain;
  for (const int root : rootsOf(model))
    if (chain.empty()) chain = findCamera(model, root);
  if (chain.empty())
    throw Error(fmt::format("{}: holds no perspective camera", file.string()),
                "Export the camera itself, not only the scene");

  std::map<int, NodeTracks> animated;
  double length = 0;
  for (const auto& animation : model.animations)
    for (const auto& channel : animation.channels) {
      if (std::find(chain.begin(), chain.end(), channel.target_node) == chain.end() || channel.target_path == "weights")
        continue;
      if (channel.sampler < 0 || static_cast<size_t>(channel.sampler) >= animation.samplers.size()) continue;
      const auto& sampler = animation.samplers[static_cast<size_t>(channel.sampler)];
      Track t;
      t.times = floatsOf(model, sampler.input);
      t.values = floatsOf(model, sampler.output);
      t.how = sampler.interpolation.empty() ? "LINEAR" : sampler.interpolation;
      t.n = channel.target_path == "rotation" ? 4 : 3;
      if (t.times.empty() || t.values.size() != t.times.size() * t.n * (t.how == "CUBICSPLINE" ? 3 : 1))
        throw Error(fmt::format("{}: the camera's animation ({}) is damaged or not in floats", file.string(),
                                channel.target_path),
                    "Export it again");
      length = std::max(length, t.times.back());
      animated[channel.target_node].tracks[channel.target_path] = t;
    }

  const auto& lens =
      model.cameras[static_cast<size_t>(model.nodes[static_cast<size_t>(chain.back())].camera)].perspective;
  CameraPath path;
  const double aspect = lens.aspectRatio > 0 ? lens.aspectRatio : context.aspect;
  path.backWidthMm = context.backWidthMm;
  path.backHeightMm = context.backWidthMm / aspect;
  if (!(lens.yfov > 0 && lens.yfov < M_PI))
    throw Error(fmt::format("{}: the camera's angle of view is {} radians", file.string(), lens.yfov),
                "Export it with a field of view between 0 and 180 degrees");
  const double focal = path.backHeightMm / 2 / std::tan(lens.yfov / 2);
  FrameRange range = context.range;
  if (range.count() == 0)
    range = {context.firstFrame, context.firstFrame + static_cast<int>(std::lround(length * context.fps))};
  for (int f = range.first; f <= range.last; ++f) {
    const double t = (f - context.firstFrame) / context.fps;
    // An animation that ends before the shot does leaves a gap that is named, rather than a camera that stands still
    // unnoticed.
    if (length > 0 && t > length + 0.5 / context.fps) break;
    Eigen::Affine3d m = Eigen::Affine3d::Identity();
    for (const int node : chain) {
      const auto it = animated.find(node);
      m = m * gltfTransformOf(model.nodes[static_cast<size_t>(node)], it == animated.end() ? nullptr : &it->second, t);
    }
    path.poses[f] = {m.translation(), Eigen::Quaterniond(m.rotation()).normalized().toRotationMatrix(), focal};
  }
  return path;
}

}  // namespace zentil::camera
