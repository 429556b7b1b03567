#include "core/camera/camera_dae.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>
#include <cstring>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"
#include "core/camera/samples.h"

namespace zentil::camera {
namespace {

using Mat4 = Eigen::Matrix4d;

std::vector<double> numbersOf(const char* text) {
  std::vector<double> out;
  std::istringstream in(text);
  in.imbue(std::locale::classic());
  for (double v; in >> v;) out.push_back(v);
  return out;
}

pugi::xml_node byId(pugi::xml_node from, const char* reference) {
  if (*reference == '#') ++reference;
  return from.find_node([&](pugi::xml_node n) { return std::strcmp(n.attribute("id").value(), reference) == 0; });
}

/// What moves: by "node/sid" or "node/sid.X".
using Channels = std::map<std::string, Samples>;

Channels channelsOf(pugi::xml_node root, const std::string& file) {
  Channels out;
  for (const auto found : root.select_nodes("//animation/channel")) {
    const auto channel = found.node();
    const auto sampler = byId(root, channel.attribute("source").value());
    std::vector<double> times, values;
    for (const auto input : sampler.children("input")) {
      const std::string what = input.attribute("semantic").value();
      const auto source = byId(root, input.attribute("source").value());
      if (what == "INPUT") times = numbersOf(source.child_value("float_array"));
      if (what == "OUTPUT") values = numbersOf(source.child_value("float_array"));
    }
    if (times.empty() || values.empty() || values.size() % times.size() != 0)
      throw Error(fmt::format("{}: the animation of {} is damaged", file, channel.attribute("target").value()),
                  "Export the camera again");
    Samples s;
    const size_t stride = values.size() / times.size();
    for (size_t i = 0; i < times.size(); ++i)
      s.at[times[i]] = {values.begin() + static_cast<std::ptrdiff_t>(i * stride),
                        values.begin() + static_cast<std::ptrdiff_t>((i + 1) * stride)};
    out[channel.attribute("target").value()] = std::move(s);
  }
  return out;
}

/// One element of a node's stack at a time.
Mat4 daeTransformOf(pugi::xml_node element, const std::string& node, const Channels& channels, double time) {
  std::vector<double> v = numbersOf(element.child_value());
  const std::string name = element.name(), path = node + "/" + element.attribute("sid").value();
  const auto whole = channels.find(path);
  if (name == "matrix") {
    Samples fixed;
    fixed.at[0] = v;
    return (whole != channels.end() ? whole->second : fixed).matrix(time);
  }
  if (whole != channels.end()) v = whole->second.value(time);
  const auto part = [&](const char* which, size_t i) {
    const auto it = channels.find(path + which);
    if (it != channels.end() && i < v.size()) v[i] = it->second.value(time).at(0);
  };
  part(".X", 0), part(".Y", 1), part(".Z", 2), part(".ANGLE", 3);
  Mat4 m = Mat4::Identity();
  if (name == "translate" && v.size() >= 3)
    m.topRightCorner<3, 1>() = Vec3(v[0], v[1], v[2]);
  else if (name == "rotate" && v.size() >= 4)
    m.topLeftCorner<3, 3>() =
        Eigen::AngleAxisd(v[3] * M_PI / 180, Vec3(v[0], v[1], v[2]).normalized()).toRotationMatrix();
  else if (name == "scale" && v.size() >= 3)
    m.topLeftCorner<3, 3>() = Vec3(v[0], v[1], v[2]).asDiagonal();
  return m;
}

}  // namespace

CameraPath readCameraDae(const std::filesystem::path& path, const CameraFileContext& context) {
  const std::string file = path.string();
  pugi::xml_document doc;
  const std::string text = readText(path);
  refuseDeepNesting(text, file);
  const auto loaded = doc.load_buffer(text.data(), text.size());
  if (!loaded)
    throw Error(fmt::format("{} cannot be read as COLLADA: {}", file, loaded.description()), "Export the camera again");
  const auto root = doc.child("COLLADA");
  if (!root) throw Error(fmt::format("{} is no COLLADA file", file), "Export the camera again");
  const auto instance = root.select_node("//node/instance_camera").node();
  const auto optics = byId(root, instance.attribute("url").value()).select_node(".//perspective").node();
  if (!instance || !optics) throw Error(fmt::format("{} holds no perspective camera", file), "Export one");
  const auto number = [&](const char* name) {
    const auto read = numbersOf(optics.child_value(name));
    return read.empty() ? 0 : read.front();
  };
  double x = number("xfov"), y = number("yfov"), aspect = number("aspect_ratio");
  if (!(aspect > 0)) aspect = x > 0 && y > 0 ? std::tan(x * M_PI / 360) / std::tan(y * M_PI / 360) : context.aspect;
  const double tangent = x > 0 ? std::tan(x * M_PI / 360) : std::tan(y * M_PI / 360) * aspect;
  if (!(tangent > 0)) throw Error(fmt::format("{}: its camera has no angle of view", file), "Export the camera again");
  CameraPath out;
  out.backWidthMm = context.backWidthMm, out.backHeightMm = context.backWidthMm / aspect;
  const double focal = out.backWidthMm / 2 / tangent;
  const auto asset = root.child("asset");
  const std::string up = asset.child_value("up_axis");
  if (up == "X_UP") throw Error(fmt::format("{} has X up", file), "Export it with Y or Z up");
  const auto unit = numbersOf(asset.child("unit").attribute("meter").value());
  const double metres = unit.empty() ? 1 : unit.front();
  const Mat4 world = toYUpMetres(up == "Z_UP", metres);
  const Channels channels = channelsOf(root, file);
  double last = 0;
  for (const auto& [target, samples] : channels) last = std::max(last, samples.at.rbegin()->first);
  FrameRange range = context.range;
  if (range.count() == 0)
    range = {context.firstFrame, context.firstFrame + static_cast<int>(std::lround(last * context.fps))};
  // Nothing is made up beyond what the file has.
  if (last > 0)
    range.last = std::min(range.last, context.firstFrame + static_cast<int>(std::floor(last * context.fps + 1e-3)));
  for (int f = range.first; f <= range.last; ++f) {
    const double time = (f - context.firstFrame) / context.fps;
    Mat4 m = Mat4::Identity();
    for (auto node = instance.parent(); node && std::strcmp(node.name(), "node") == 0; node = node.parent()) {
      Mat4 own = Mat4::Identity();
      for (const auto element : node.children())
        own = own * daeTransformOf(element, node.attribute("id").value(), channels, time);
      m = own * m;
    }
    Pose pose;
    placeAndTurn(world * m, pose.position, pose.rotation);
    pose.focalMm = focal;
    out.poses[f] = pose;
  }
  return out;
}

}  // namespace zentil::camera
