#include "core/exchange/scene.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/error.h"
#include "core/set/form.h"

namespace zentil::exchange {

using shot::ExportSettings;

Mat3 axesOf(const ExportSettings& h) {
  Mat3 m;
  if (h.up == shot::UpAxis::Y)
    m = h.hand == shot::Handedness::Right ? Mat3(Mat3::Identity()) : Mat3(Vec3(1, 1, -1).asDiagonal());
  else if (h.hand == shot::Handedness::Right)
    m << 1, 0, 0, 0, 0, -1, 0, 1, 0;  // up was Y; what was towards the viewer is backwards along Y
  else
    m << 1, 0, 0, 0, 0, 1, 0, 1, 0;
  return m;
}

Vec3 placeOut(const ExportSettings& h, const Vec3& p) { return h.unitsPerM * (axesOf(h) * p); }

Mat3 turnOut(const ExportSettings& h, const Mat3& rotation) {
  const Mat3 m = axesOf(h) * rotation;
  return h.hand == shot::Handedness::Right ? m : Mat3(m * Vec3(1, 1, -1).asDiagonal());
}

bool Scene::zooms() const {
  for (const auto& c : cameras)
    if (std::abs(c.focalMm - cameras.front().focalMm) > 1e-9 * cameras.front().focalMm) return true;
  return false;
}

Scene sceneOf(const shot::Shot& s) {
  if (s.camera->empty()) throw Error("the shot has no camera", "Load one, or solve it");
  Scene out;
  const ExportSettings& h = out.exportSettings = s.exportSettings;
  out.name = s.name, out.width = s.width, out.height = s.height;
  out.fps = s.plate().fps > 0 ? s.plate().fps : 24;
  out.backWidthMm = s.camera->backWidthMm, out.backHeightMm = s.camera->backHeightMm;
  out.centreOffsetPx = s.camera->centreOffsetPx;
  out.readout = s.camera->readout;
  for (const auto& [f, pose] : s.camera->poses) {
    if (s.range.count() && !s.range.contains(f)) continue;
    out.cameras.push_back({f + h.frameOffset, placeOut(h, pose.position), turnOut(h, pose.rotation), pose.focalMm});
  }
  if (out.cameras.empty()) throw Error("the camera has no pose within the shot's frames", "Change the shot's range");
  if (out.cameras.back().frame - out.cameras.front().frame + 1 != static_cast<int>(out.cameras.size()))
    out.notes.push_back("the camera has gaps: between the frames around them other programs make up its place");
  if (s.camera->readout != 0)
    out.notes.push_back(
        fmt::format("the plate's rows are read over {:.0f}% of a frame, which CSV alone says: elsewhere the camera is "
                    "the one that the "
                    "middle row sees: renders are off above and below by the rest",
                    100 * s.camera->readout));
  for (const auto& p : *s.points) out.points.push_back(placeOut(h, p.at));
  const int first = out.cameras.front().frame - h.frameOffset;
  bool moves = false;
  for (const auto& surface : s.surfaces) {
    const set::Surface now = surface.at(first);
    moves = moves || surface.moves();
    if (!set::formOf(now.kind).lacks(now).empty()) continue;
    const set::Mesh mesh = set::formOf(now.kind).triangles(now);
    Scene::Body body;
    body.name = surface.name;
    body.vertices.reserve(mesh.points.size()), body.triangles.reserve(mesh.triangles.size());
    for (const auto& v : mesh.points) body.vertices.push_back(placeOut(h, v));
    for (const auto& t : mesh.triangles) {
      std::array<int, 3> one = {t[0], t[1], t[2]};
      if (h.hand == shot::Handedness::Left) std::swap(one[1], one[2]);  // outside stays outside
      body.triangles.push_back(one);
    }
    out.bodies.push_back(std::move(body));
  }
  if (moves) out.notes.push_back(fmt::format("moving surfaces are written as on frame {}", first));
  for (const auto& spot : s.spots) {
    Scene::Place p{spot.name, placeOut(h, spot.position), {}};
    const auto corners = spot.corners();
    for (size_t i = 0; i < 4; ++i) p.corners[i] = placeOut(h, corners[i]);
    out.places.push_back(p);
  }
  if (!s.lens.isStraight())
    out.notes.push_back(
        "the camera is that of the straight picture: render with it, then bend what was rendered with the lens files");
  return out;
}

}  // namespace zentil::exchange
