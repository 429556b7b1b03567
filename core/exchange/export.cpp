#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"
#include "core/camera/camera_file.h"
#include "core/exchange/write.h"
#include "core/value/hash.h"

namespace zentil::exchange {

std::vector<std::string> writeCsv(const Scene& s, const std::filesystem::path& file) {
  camera::CameraPath path;
  path.backWidthMm = s.backWidthMm, path.backHeightMm = s.backHeightMm, path.centreOffsetPx = s.centreOffsetPx;
  for (const auto& c : s.cameras) path.poses[c.frame] = {c.position, c.rotation, c.focalMm};
  path.readout = s.readout;
  camera::writeCameraCsv(file, path);
  return {};
}

void writePly(const Scene& s, const std::filesystem::path& file) {
  std::string out = fmt::format(
      "ply\nformat ascii 1.0\ncomment written by zentil\nelement vertex {}\nproperty float x\nproperty float "
      "y\nproperty "
      "float z\nend_header\n",
      s.points.size());
  for (const auto& p : s.points) out += fmt::format("{:.9g} {:.9g} {:.9g}\n", p.x(), p.y(), p.z());
  writeText(file, out);
}

void writeObj(const Scene& s, const std::filesystem::path& file) {
  std::string out = "# written by zentil\n";
  int base = 1;
  for (const auto& b : s.bodies) {
    std::string name = b.name;
    for (char& c : name)
      if (c == ' ' || c == '\n' || c == '\t') c = '_';
    out += fmt::format("o {}\n", name);
    for (const auto& v : b.vertices) out += fmt::format("v {:.9g} {:.9g} {:.9g}\n", v.x(), v.y(), v.z());
    for (const auto& t : b.triangles) out += fmt::format("f {} {} {}\n", t[0] + base, t[1] + base, t[2] + base);
    base += static_cast<int>(b.vertices.size());
  }
  writeText(file, out);
}

namespace {

/// Whether what lies in a folder under these names was handed on from here: its glTF says so.
bool isOurs(const std::filesystem::path& gltf) {
  std::error_code ec;
  if (!std::filesystem::exists(gltf, ec)) return false;
  return readText(gltf).find("\"generator\": \"zentil\"") != std::string::npos;
}

/// Keys of what is handed on, each with its words.
std::vector<std::pair<std::string, std::string>> keysOf(const shot::Shot& s) {
  const auto key = [](const auto&... of) {
    value::Hasher h(false);
    (h.add(of), ...);
    return fmt::format("{:016x}", h.key());
  };
  value::Hasher camera(false), points(false), surfaces(false), spots(false);
  for (const auto& [f, pose] : s.camera->poses) camera.add(f).add(pose.position).add(pose.rotation).add(pose.focalMm);
  camera.add(s.camera->backWidthMm).add(s.camera->backHeightMm).add(s.camera->centreOffsetPx);
  for (const auto& p : *s.points) points.add(p.at);
  const auto hex = [](const value::Hasher& h) { return fmt::format("{:016x}", h.key()); };
  return {{"the camera", hex(camera)}, {"the lens", key(s.lens)},
          {"the points", hex(points)}, {"the surfaces", key(s.surfaces)},
          {"the spots", key(s.spots)}, {"the export settings", key(s.exportSettings)}};
}

std::filesystem::path keysFile(const shot::Shot& s, const std::filesystem::path& folder) {
  return folder / (asFileName(s.name.empty() ? "shot" : s.name) + "_export.json");
}

}  // namespace

std::vector<std::string> changedSince(const shot::Shot& s, const std::filesystem::path& folder) {
  std::vector<std::string> out;
  std::error_code ec;
  const auto file = keysFile(s, folder);
  if (!std::filesystem::exists(file, ec)) return out;
  const std::string text = readText(file);
  refuseDeepNesting(text, file.string());
  const auto kept = nlohmann::json::parse(text, nullptr, false);
  if (!kept.is_object()) return out;
  for (const auto& [words, key] : keysOf(s))
    if (kept.value(words, nlohmann::json(key)) != key) out.push_back(words);
  return out;
}

Exported exportShot(const shot::Shot& shot, const std::filesystem::path& folder) {
  if (shot.projection == shot::Projection::Sphere)
    throw Error("other programs have no 2:1 camera: nothing is exported",
                "Write a flat view of it (zentil-batch look), solve that, and hand that camera on");
  const Scene scene = sceneOf(shot);
  const std::string name = asFileName(shot.name.empty() ? "shot" : shot.name);
  Exported out;
  out.notes = scene.notes;
  std::error_code ec;
  std::filesystem::create_directories(folder, ec);
  if (!std::filesystem::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
  std::vector<const char*> endings = {"_camera.gltf", "_camera.usda", "_camera.dae", "_camera.csv"};
  if (!scene.points.empty()) endings.push_back("_points.ply");
  if (!scene.bodies.empty()) endings.push_back("_set.obj");
  if (!shot.spots.empty())
    for (const char* e : {"_spots.csv", "_pins.csv", "_matrices.csv", "_spots.json"}) endings.push_back(e);
  endings.push_back("_export.json");
  // All names are asked before anything is written.
  const bool ours = isOurs(folder / (name + "_camera.gltf"));
  for (const char* e : endings) {
    const auto file = folder / (name + e);
    if (!std::filesystem::exists(file, ec)) continue;
    if (!ours)
      throw Error(fmt::format("{} exists and was not exported from this shot", file.string()),
                  "Choose another folder, or move it away");
    for (const auto& surface : shot.surfaces)
      if (!surface.meshFile.empty() && std::filesystem::equivalent(file, surface.meshFile, ec))
        throw Error(fmt::format("{} would be written over, which \"{}\" is made from", file.string(), surface.name),
                    "Choose another folder");
  }
  const auto at = [&](const char* ending) {
    out.files.push_back(folder / (name + ending));
    return out.files.back();
  };
  const auto take = [&](const std::vector<std::string>& notes) {
    out.notes.insert(out.notes.end(), notes.begin(), notes.end());
  };
  take(writeGltf(scene, at("_camera.gltf")));
  take(writeUsda(scene, at("_camera.usda")));
  take(writeDae(scene, at("_camera.dae")));
  take(writeCsv(scene, at("_camera.csv")));
  if (!scene.points.empty()) writePly(scene, at("_points.ply"));
  if (!scene.bodies.empty()) writeObj(scene, at("_set.obj"));
  if (!shot.spots.empty()) {
    const auto tracks = tracksOf(shot);
    writeTracksCsv(tracks, at("_spots.csv"));
    writePinsCsv(tracks, at("_pins.csv"));
    writeMatricesCsv(tracks, at("_matrices.csv"));
    writeTracksJson(shot, tracks, at("_spots.json"));
  }
  nlohmann::json keys;
  for (const auto& [words, key] : keysOf(shot)) keys[words] = key;
  writeText(keysFile(shot, folder), keys.dump(1) + "\n");
  return out;
}

}  // namespace zentil::exchange
