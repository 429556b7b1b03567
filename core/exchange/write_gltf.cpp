#include <Eigen/Geometry>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/write.h"

namespace zentil::exchange {
namespace {

using nlohmann::json;

/// One buffer, its views and accessors.
class Buffer {
 public:
  /// `kind`: "SCALAR", "VEC3", "VEC4"; floats. The accessor's index. `target`: of the view; 0 for none.
  int floats(const std::vector<float>& values, const char* kind, int count, int target = 0) {
    const int n = static_cast<int>(values.size()) / std::max(1, count);
    std::vector<float> lo(static_cast<size_t>(n), INFINITY), hi(static_cast<size_t>(n), -INFINITY);
    for (size_t i = 0; i < values.size(); ++i) {
      const size_t c = i % static_cast<size_t>(n);
      lo[c] = std::min(lo[c], values[i]), hi[c] = std::max(hi[c], values[i]);
    }
    const int view = add(values.data(), values.size() * sizeof(float), target);
    accessors.push_back(
        {{"bufferView", view}, {"componentType", 5126}, {"count", count}, {"type", kind}, {"min", lo}, {"max", hi}});
    return static_cast<int>(accessors.size()) - 1;
  }
  int indices(const std::vector<uint32_t>& values) {
    const int view = add(values.data(), values.size() * sizeof(uint32_t), 34963);
    accessors.push_back({{"bufferView", view}, {"componentType", 5125}, {"count", values.size()}, {"type", "SCALAR"}});
    return static_cast<int>(accessors.size()) - 1;
  }
  /// As a data URI (RFC 2397, base64 of RFC 4648).
  std::string uri() const {
    static const char* kAlphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out = "data:application/octet-stream;base64,";
    for (size_t i = 0; i < bytes_.size(); i += 3) {
      const uint32_t a = bytes_[i], b = i + 1 < bytes_.size() ? bytes_[i + 1] : 0,
                     c = i + 2 < bytes_.size() ? bytes_[i + 2] : 0, v = a << 16 | b << 8 | c;
      out += kAlphabet[v >> 18];
      out += kAlphabet[v >> 12 & 63];
      out += i + 1 < bytes_.size() ? kAlphabet[v >> 6 & 63] : '=';
      out += i + 2 < bytes_.size() ? kAlphabet[v & 63] : '=';
    }
    return out;
  }
  size_t size() const { return bytes_.size(); }
  json accessors = json::array(), views = json::array();

 private:
  int add(const void* data, size_t size, int target) {
    const size_t at = bytes_.size();
    const auto* from = static_cast<const unsigned char*>(data);
    bytes_.insert(bytes_.end(), from, from + size);
    json view = {{"buffer", 0}, {"byteOffset", at}, {"byteLength", size}};
    if (target) view["target"] = target;
    views.push_back(view);
    return static_cast<int>(views.size()) - 1;
  }
  std::vector<unsigned char> bytes_;
};

void put(std::vector<float>& to, const Vec3& v) {
  for (int i = 0; i < 3; ++i) to.push_back(static_cast<float>(v[i]));
}

/// From a scene's axes and units back to the shot's own, which are glTF's.
struct OwnAxes {
  const shot::ExportSettings& from;

  Vec3 operator()(const Vec3& p) const { return axesOf(from).inverse() / from.unitsPerM * p; }
  /// Components beyond 1 by rounding are an error to glTF (glTF 2.0, 3.5.3: a unit quaternion).
  Eigen::Quaterniond turn(const Mat3& r) const {
    const Mat3 m = axesOf(from).inverse() * r;
    Eigen::Quaterniond q(from.hand == shot::Handedness::Right ? m : Mat3(m * Vec3(1, 1, -1).asDiagonal()));
    q.normalize();
    q.coeffs() = q.coeffs().cwiseMax(-1).cwiseMin(1);
    return q;
  }
};

/// The camera's place and turn on every frame, straight from one to the next.
json moveOf(const Scene& given, const OwnAxes& own, Buffer& buffer) {
  std::vector<float> times, places, turns;
  const auto& first = given.cameras.front();
  Eigen::Quaterniond before = own.turn(first.rotation);
  for (const auto& c : given.cameras) {
    times.push_back(static_cast<float>((c.frame - first.frame) / given.fps));
    put(places, own(c.position));
    Eigen::Quaterniond q = own.turn(c.rotation);
    if (q.dot(before) < 0) q.coeffs() *= -1;  // the short way round
    before = q;
    for (const double v : {q.x(), q.y(), q.z(), q.w()}) turns.push_back(static_cast<float>(v));
  }
  const int n = static_cast<int>(times.size());
  const int t = buffer.floats(times, "SCALAR", n), p = buffer.floats(places, "VEC3", n),
            r = buffer.floats(turns, "VEC4", n);
  return {{"name", "camera"},
          {"samplers",
           {{{"input", t}, {"output", p}, {"interpolation", "LINEAR"}},
            {{"input", t}, {"output", r}, {"interpolation", "LINEAR"}}}},
          {"channels",
           {{{"sampler", 0}, {"target", {{"node", 0}, {"path", "translation"}}}},
            {{"sampler", 1}, {"target", {{"node", 0}, {"path", "rotation"}}}}}}};
}

}  // namespace

std::vector<std::string> writeGltf(const Scene& given, const std::filesystem::path& file) {
  std::vector<std::string> notes;
  const auto& h = given.exportSettings;
  if (h.up != shot::UpAxis::Y || h.hand != shot::Handedness::Right || h.unitsPerM != 1)
    notes.emplace_back("glTF is always right-handed, Y up, in metres: so it is written, whatever else is chosen");
  if (given.zooms()) notes.emplace_back("glTF has one focal length: it is that of the first frame, and the shot zooms");
  if (given.centreOffsetPx.norm() > 1e-6)
    notes.emplace_back("glTF has no optical centre off the middle: it is left out");
  const OwnAxes own{h};
  Buffer buffer;
  json out = {{"asset", {{"version", "2.0"}, {"generator", "zentil"}}}, {"scene", 0}};
  json nodes = json::array(), meshes = json::array();
  const auto& first = given.cameras.front();
  const Eigen::Quaterniond q0 = own.turn(first.rotation);
  const Vec3 p0 = own(first.position);
  nodes.push_back({{"name", "camera"},
                   {"camera", 0},
                   {"translation", {p0.x(), p0.y(), p0.z()}},
                   {"rotation", {q0.x(), q0.y(), q0.z(), q0.w()}}});
  out["cameras"] = {{{"type", "perspective"},
                     {"name", "camera"},
                     {"perspective",
                      {{"yfov", 2 * std::atan(given.backHeightMm / 2 / first.focalMm)},
                       {"aspectRatio", given.backWidthMm / given.backHeightMm},
                       {"znear", 0.01},
                       {"zfar", 100000.0}}}}};
  if (given.cameras.size() > 1) out["animations"] = json::array({moveOf(given, own, buffer)});
  const auto addMesh = [&](const std::string& name, const json& primitive) {
    meshes.push_back({{"name", name}, {"primitives", {primitive}}});
    nodes.push_back({{"name", name}, {"mesh", meshes.size() - 1}});
  };
  if (!given.points.empty()) {
    std::vector<float> at;
    for (const auto& p : given.points) put(at, own(p));
    addMesh("points",
            {{"mode", 0},
             {"attributes", {{"POSITION", buffer.floats(at, "VEC3", static_cast<int>(given.points.size()), 34962)}}}});
  }
  for (const auto& b : given.bodies) {
    if (b.triangles.empty()) continue;
    std::vector<float> at;
    std::vector<uint32_t> sides;
    for (const auto& p : b.vertices) put(at, own(p));
    for (const auto& t : b.triangles) {
      const bool turned = h.hand == shot::Handedness::Left;
      for (const size_t k : {size_t{0}, size_t{turned ? 2U : 1U}, size_t{turned ? 1U : 2U}})
        sides.push_back(static_cast<uint32_t>(t[k]));
    }
    const int vertices = buffer.floats(at, "VEC3", static_cast<int>(b.vertices.size()), 34962);
    addMesh(b.name, {{"attributes", {{"POSITION", vertices}}}, {"indices", buffer.indices(sides)}});
  }
  for (const auto& s : given.places) {
    const Vec3 p = own(s.position);
    nodes.push_back({{"name", s.name}, {"translation", {p.x(), p.y(), p.z()}}});
  }
  std::vector<int> all(nodes.size());
  for (size_t i = 0; i < all.size(); ++i) all[i] = static_cast<int>(i);
  out["scenes"] = {{{"nodes", all}}};
  out["nodes"] = nodes;
  if (!meshes.empty()) out["meshes"] = meshes;
  if (buffer.size() > 0) {
    out["accessors"] = buffer.accessors, out["bufferViews"] = buffer.views;
    out["buffers"] = {{{"byteLength", buffer.size()}, {"uri", buffer.uri()}}};
  }
  writeText(file, out.dump(1));
  return notes;
}

}  // namespace zentil::exchange
