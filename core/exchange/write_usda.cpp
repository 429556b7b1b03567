#include <fmt/format.h>
#include <Eigen/Geometry>

#include <cctype>
#include <set>

#include "core/base/files.h"
#include "core/exchange/write.h"

namespace zentil::exchange {
namespace {

/// A name as USD allows it, that nothing has yet.
std::string prim(const std::string& name, std::set<std::string>& taken) {
  std::string out;
  for (const char c : name)
    out += std::isalnum(static_cast<unsigned char>(c)) && static_cast<signed char>(c) > 0 ? c : '_';
  if (out.empty() || std::isdigit(static_cast<unsigned char>(out[0]))) out = "_" + out;
  std::string free = out;
  for (int n = 2; !taken.insert(free).second; ++n) free = fmt::format("{}_{}", out, n);
  return free;
}

std::string triple(const Vec3& v) { return fmt::format("({:.17g}, {:.17g}, {:.17g})", v.x(), v.y(), v.z()); }

std::string list(const std::vector<Vec3>& points) {
  std::string out = "[";
  for (size_t i = 0; i < points.size(); ++i) out += (i ? ", " : "") + triple(points[i]);
  return out + "]";
}

/// Mirrored back along the one axis that the left hand had turned.
void mirrorBack(Scene& own) {
  shot::ExportSettings right = own.exportSettings;
  right.hand = shot::Handedness::Right;
  const Mat3 to = axesOf(right) * axesOf(own.exportSettings).inverse();
  for (auto& c : own.cameras) {
    c.position = to * c.position;
    c.rotation = to * c.rotation * Vec3(1, 1, -1).asDiagonal();
  }
  for (auto& p : own.points) p = to * p;
  for (auto& b : own.bodies) {
    for (auto& v : b.vertices) v = to * v;
    for (auto& t : b.triangles) std::swap(t[1], t[2]);
  }
  for (auto& p : own.places) p.position = to * p.position;
}

/// Beginning of a transform of its own that carries the camera, by its place and turn: so readers move it that move no
/// camera, and know no matrices that change. What the first frame has comes before the samples, for readers that look
/// at none.
std::string moveOf(const Scene& own, std::set<std::string>& taken) {
  std::string out;
  std::vector<Eigen::Quaterniond> turns;
  for (const auto& c : own.cameras) {
    turns.emplace_back(c.rotation);
    // Between frames they go the short way round.
    if (turns.size() > 1 && turns.back().dot(turns[turns.size() - 2]) < 0) turns.back().coeffs() *= -1;
  }
  const auto turn = [](const Eigen::Quaterniond& q) {
    return fmt::format("({:.17g}, {:.17g}, {:.17g}, {:.17g})", q.w(), q.x(), q.y(), q.z());
  };
  out += fmt::format("    def Xform \"{}\"\n    {{\n", prim("camera_move", taken));
  out += fmt::format("        double3 xformOp:translate = {}\n        double3 xformOp:translate.timeSamples = {{\n",
                     triple(own.cameras.front().position));
  for (const auto& c : own.cameras) out += fmt::format("            {}: {},\n", c.frame, triple(c.position));
  out += fmt::format("        }}\n        quatd xformOp:orient = {}\n        quatd xformOp:orient.timeSamples = {{\n",
                     turn(turns.front()));
  for (size_t i = 0; i < turns.size(); ++i)
    out += fmt::format("            {}: {},\n", own.cameras[i].frame, turn(turns[i]));
  out += fmt::format(
      "{}", "        }\n        uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:orient\"]\n\n");
  return out;
}

/// The camera, and the end of what carries it.
std::string cameraOf(const Scene& s, std::set<std::string>& taken) {
  std::string out;
  // Film back and focal length are in tenths of a unit; only what they are to each other counts.
  out += fmt::format(
      "        def Camera \"{}\"\n        {{\n            token projection = \"perspective\"\n            float2 "
      "clippingRange = ({:.9g}, {:.9g})\n",
      prim("camera", taken), 0.01 * s.exportSettings.unitsPerM, 1e5 * s.exportSettings.unitsPerM);
  const auto number = [&](const char* name, double value) {
    out += fmt::format("            float {} = {:.9g}\n", name, value);
  };
  number("horizontalAperture", s.backWidthMm), number("verticalAperture", s.backHeightMm);
  // The film back is moved against the optical centre: to the left where that lies right of the middle.
  number("horizontalApertureOffset", -s.centreOffsetPx.x() / s.width * s.backWidthMm);
  number("verticalApertureOffset", s.centreOffsetPx.y() / s.height * s.backHeightMm);
  number("focalLength", s.cameras.front().focalMm);
  if (s.zooms()) {
    out += fmt::format("{}", "            float focalLength.timeSamples = {\n");
    for (const auto& c : s.cameras) out += fmt::format("                {}: {:.9g},\n", c.frame, c.focalMm);
    out += fmt::format("{}", "            }\n");
  }
  out += fmt::format("{}", "        }\n    }\n");
  return out;
}

std::string thingsOf(const Scene& own, std::set<std::string>& taken) {
  std::string out;
  if (!own.points.empty()) {
    out += fmt::format("\n    def Points \"{}\"\n    {{\n        point3f[] points = {}\n        float[] widths = [",
                       prim("points", taken), list(own.points));
    for (size_t i = 0; i < own.points.size(); ++i)
      out += fmt::format("{}{:.6g}", i ? ", " : "", 0.02 * own.exportSettings.unitsPerM);
    out += fmt::format("{}", "]\n    }\n");
  }
  for (const auto& b : own.bodies) {
    if (b.triangles.empty()) continue;
    std::string counts, indices;
    for (size_t i = 0; i < b.triangles.size(); ++i) {
      counts += i ? ", 3" : "3";
      for (size_t k = 0; k < 3; ++k) indices += (i || k ? ", " : "") + std::to_string(b.triangles[i][k]);
    }
    out += fmt::format(
        "\n    def Mesh \"{}\"\n    {{\n        uniform token subdivisionScheme = \"none\"\n        int[] "
        "faceVertexCounts = [{}]\n        int[] faceVertexIndices = [{}]\n        point3f[] points = {}\n    }}\n",
        prim(b.name, taken), counts, indices, list(b.vertices));
  }
  for (const auto& p : own.places)
    out += fmt::format(
        "\n    def Xform \"{}\"\n    {{\n        double3 xformOp:translate = {}\n        uniform token[] xformOpOrder "
        "= "
        "[\"xformOp:translate\"]\n    }}\n",
        prim(p.name, taken), triple(p.position));
  return out;
}

}  // namespace

std::vector<std::string> writeUsda(const Scene& s, const std::filesystem::path& file) {
  std::vector<std::string> notes;
  const auto& h = s.exportSettings;
  Scene own = s;
  if (h.hand == shot::Handedness::Left) {
    notes.emplace_back("USD is always right-handed: so it is written, with the axis that was chosen as up");
    mirrorBack(own);
  }
  std::set<std::string> taken;
  const std::string root = prim(s.name, taken);
  std::string out = fmt::format(
      "#usda 1.0\n(\n    defaultPrim = \"{}\"\n    doc = \"written by zentil\"\n    upAxis = \"{}\"\n    metersPerUnit "
      "= "
      "{:.17g}\n    startTimeCode = {}\n    endTimeCode = {}\n    timeCodesPerSecond = {:.17g}\n    framesPerSecond = "
      "{:.17g}\n)\n\ndef Xform \"{}\"\n{{\n",
      root, nameOf(h.up), 1 / h.unitsPerM, s.cameras.front().frame, s.cameras.back().frame, s.fps, s.fps, root);
  out += moveOf(own, taken);
  out += cameraOf(own, taken);
  out += thingsOf(own, taken);
  out += fmt::format("{}", "}\n");
  writeText(file, out);
  return notes;
}

}  // namespace zentil::exchange
