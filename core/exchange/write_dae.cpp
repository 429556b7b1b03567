#include <fmt/format.h>

#include <cmath>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/files.h"
#include "core/exchange/write.h"

namespace zentil::exchange {
namespace {

std::string numbers(const std::vector<double>& v) {
  std::string out;
  for (size_t i = 0; i < v.size(); ++i) out += fmt::format("{}{:.17g}", i ? " " : "", v[i]);
  return out;
}

/// Row by row, as COLLADA has it for columns that are multiplied from the right.
std::vector<double> matrix(const Scene::Camera& c) {
  std::vector<double> out;
  for (int i = 0; i < 3; ++i) {
    for (int k = 0; k < 3; ++k) out.push_back(c.rotation(i, k));
    out.push_back(c.position[i]);
  }
  for (const double v : {0.0, 0.0, 0.0, 1.0}) out.push_back(v);
  return out;
}

pugi::xml_node child(pugi::xml_node to, const char* name, const std::string& text = {}) {
  pugi::xml_node n = to.append_child(name);
  if (!text.empty()) n.text().set(text.c_str());
  return n;
}
pugi::xml_node with(pugi::xml_node n, const char* key, const std::string& value) {
  n.append_attribute(key) = value.c_str();
  return n;
}

/// A source of floats with an accessor.
void source(pugi::xml_node to, const std::string& id, const std::vector<double>& values, int stride,
            const std::vector<std::pair<const char*, const char*>>& params) {
  auto s = with(child(to, "source"), "id", id);
  auto a = with(child(s, "float_array", numbers(values)), "id", id + "-array");
  with(a, "count", std::to_string(values.size()));
  auto accessor = with(child(child(s, "technique_common"), "accessor"), "source", "#" + id + "-array");
  with(accessor, "count", std::to_string(values.size() / static_cast<size_t>(stride)));
  with(accessor, "stride", std::to_string(stride));
  for (const auto& [name, type] : params) with(with(child(accessor, "param"), "name", name), "type", type);
}

void writeAsset(pugi::xml_node root, const shot::ExportSettings& h) {
  auto asset = child(root, "asset");
  child(child(asset, "contributor"), "authoring_tool", "zentil");
  // What the standard asks for; the same file every time.
  child(asset, "created", "2000-01-01T00:00:00"), child(asset, "modified", "2000-01-01T00:00:00");
  with(with(child(asset, "unit"), "name", "unit"), "meter", fmt::format("{:.17g}", 1 / h.unitsPerM));
  child(asset, "up_axis", h.up == shot::UpAxis::Y ? "Y_UP" : "Z_UP");
}

void writeCamera(pugi::xml_node root, const Scene& s, const Scene::Camera& first) {
  auto camera = with(with(child(child(root, "library_cameras"), "camera"), "id", "camera"), "name", "camera");
  auto optics = child(child(child(camera, "optics"), "technique_common"), "perspective");
  child(optics, "yfov", fmt::format("{:.17g}", 2 * std::atan(s.backHeightMm / 2 / first.focalMm) * 180 / M_PI));
  child(optics, "aspect_ratio", fmt::format("{:.17g}", s.backWidthMm / s.backHeightMm));
  child(optics, "znear", fmt::format("{:.9g}", 0.01 * s.exportSettings.unitsPerM));
  child(optics, "zfar", fmt::format("{:.9g}", 1e5 * s.exportSettings.unitsPerM));
}

/// `to` takes places to the axes that are written, which are mirrored where the shot's are left-handed.
void writeBodies(pugi::xml_node root, const Scene& s, const Mat3& to, bool mirrored) {
  auto geometries = child(root, "library_geometries");
  for (size_t i = 0; i < s.bodies.size(); ++i) {
    const auto& b = s.bodies[i];
    if (b.triangles.empty()) continue;
    const std::string id = fmt::format("body{}", i + 1);
    auto mesh = child(with(with(child(geometries, "geometry"), "id", id), "name", b.name), "mesh");
    std::vector<double> at;
    for (const auto& v : b.vertices) {
      const Vec3 p = mirrored ? Vec3(to * v) : v;
      at.insert(at.end(), {p.x(), p.y(), p.z()});
    }
    source(mesh, id + "-places", at, 3, {{"X", "float"}, {"Y", "float"}, {"Z", "float"}});
    auto vertices = with(child(mesh, "vertices"), "id", id + "-vertices");
    with(with(child(vertices, "input"), "semantic", "POSITION"), "source", "#" + id + "-places");
    auto triangles = with(child(mesh, "triangles"), "count", std::to_string(b.triangles.size()));
    with(with(with(child(triangles, "input"), "semantic", "VERTEX"), "source", "#" + id + "-vertices"), "offset", "0");
    std::string indices;
    for (const auto& t : b.triangles)
      indices += fmt::format("{}{} {} {}", indices.empty() ? "" : " ", t[0], t[mirrored ? 2 : 1], t[mirrored ? 1 : 2]);
    child(triangles, "p", indices);
  }
}

/// The camera's matrix on every frame, straight from one to the next.
void writeMove(pugi::xml_node root, const std::vector<Scene::Camera>& cameras, double fps) {
  auto animation = with(child(child(root, "library_animations"), "animation"), "id", "camera-move");
  std::vector<double> times, matrices;
  for (const auto& c : cameras) {
    times.push_back((c.frame - cameras.front().frame) / fps);
    const auto m = matrix(c);
    matrices.insert(matrices.end(), m.begin(), m.end());
  }
  source(animation, "camera-times", times, 1, {{"TIME", "float"}});
  source(animation, "camera-matrices", matrices, 16, {{"TRANSFORM", "float4x4"}});
  auto how = with(child(animation, "source"), "id", "camera-between");
  std::string names;
  for (size_t i = 0; i < cameras.size(); ++i) names += i ? " LINEAR" : "LINEAR";
  with(with(child(how, "Name_array", names), "id", "camera-between-array"), "count", std::to_string(cameras.size()));
  auto accessor = with(child(child(how, "technique_common"), "accessor"), "source", "#camera-between-array");
  with(with(accessor, "count", std::to_string(cameras.size())), "stride", "1");
  with(with(child(accessor, "param"), "name", "INTERPOLATION"), "type", "name");
  auto sampler = with(child(animation, "sampler"), "id", "camera-sampler");
  for (const auto& [semantic, id] :
       {std::pair("INPUT", "#camera-times"), {"OUTPUT", "#camera-matrices"}, {"INTERPOLATION", "#camera-between"}})
    with(with(child(sampler, "input"), "semantic", semantic), "source", id);
  with(with(child(animation, "channel"), "source", "#camera-sampler"), "target", "camera-node/matrix");
}

void writeScene(pugi::xml_node root, const Scene& s, const Scene::Camera& first, const Mat3& to) {
  auto scene = with(with(child(child(root, "library_visual_scenes"), "visual_scene"), "id", "scene"), "name", s.name);
  auto node = with(with(child(scene, "node"), "id", "camera-node"), "name", "camera");
  with(child(node, "matrix", numbers(matrix(first))), "sid", "matrix");
  with(child(node, "instance_camera"), "url", "#camera");
  for (size_t i = 0; i < s.bodies.size(); ++i) {
    if (s.bodies[i].triangles.empty()) continue;
    auto n = with(with(child(scene, "node"), "id", fmt::format("body{}-node", i + 1)), "name", s.bodies[i].name);
    with(child(n, "instance_geometry"), "url", fmt::format("#body{}", i + 1));
  }
  for (size_t i = 0; i < s.places.size(); ++i) {
    const Vec3 p = to * s.places[i].position;
    auto n = with(with(child(scene, "node"), "id", fmt::format("spot{}-node", i + 1)), "name", s.places[i].name);
    child(n, "translate", numbers({p.x(), p.y(), p.z()}));
  }
  with(child(child(root, "scene"), "instance_visual_scene"), "url", "#scene");
}

}  // namespace

std::vector<std::string> writeDae(const Scene& s, const std::filesystem::path& file) {
  std::vector<std::string> notes;
  const auto& h = s.exportSettings;
  if (s.zooms())
    notes.emplace_back("COLLADA is written with one focal length, that of the first frame, and the shot zooms");
  if (s.centreOffsetPx.norm() > 1e-6)
    notes.emplace_back("COLLADA has no optical centre off the middle: it is left out");
  const bool mirrored = h.hand == shot::Handedness::Left;
  if (mirrored)
    notes.emplace_back("COLLADA is always right-handed: so it is written, with the axis that was chosen as up");
  shot::ExportSettings right = h;
  right.hand = shot::Handedness::Right;
  const Mat3 to = axesOf(right) * axesOf(h).inverse();
  std::vector<Scene::Camera> cameras = s.cameras;
  if (mirrored)
    for (auto& c : cameras) c.position = to * c.position, c.rotation = to * c.rotation * Vec3(1, 1, -1).asDiagonal();

  pugi::xml_document doc;
  auto declaration = doc.append_child(pugi::node_declaration);
  declaration.append_attribute("version") = "1.0";
  declaration.append_attribute("encoding") = "utf-8";
  auto root =
      with(with(child(doc, "COLLADA"), "xmlns", "http://www.collada.org/2005/11/COLLADASchema"), "version", "1.4.1");
  writeAsset(root, h);
  writeCamera(root, s, cameras.front());
  writeBodies(root, s, to, mirrored);
  if (cameras.size() > 1) writeMove(root, cameras, s.fps);
  writeScene(root, s, cameras.front(), mirrored ? to : Mat3(Mat3::Identity()));
  std::ostringstream text;
  doc.save(text, " ");
  writeText(file, text.str());
  return notes;
}

}  // namespace zentil::exchange
