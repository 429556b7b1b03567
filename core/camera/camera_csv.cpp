#include "core/camera/camera_csv.h"

#include <Eigen/Geometry>
#include <cmath>
#include <map>
#include <sstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/camera/camera_file.h"

namespace fs = std::filesystem;

namespace zentil::camera {
namespace {

std::vector<std::string> cells(const std::string& line) {
  std::vector<std::string> out;
  std::istringstream in(line);
  for (std::string cell; std::getline(in, cell, ',');) {
    const size_t a = cell.find_first_not_of(" \t\r"), b = cell.find_last_not_of(" \t\r");
    out.push_back(a == std::string::npos ? "" : cell.substr(a, b - a + 1));
  }
  return out;
}

Mat3 eulerRotation(const std::string& order, const Vec3& degrees) {
  Mat3 r = Mat3::Identity();
  for (const char axis : order) {
    const int k = axis - 'X';
    r = r * Eigen::AngleAxisd(degrees[k] * M_PI / 180, Vec3::Unit(k)).toRotationMatrix();
  }
  return r;
}

}  // namespace

CameraPath readCameraCsv(const fs::path& file) {
  std::istringstream in(readText(file));
  CameraPath path;
  std::map<std::string, size_t> column;
  std::string line;
  for (int number = 1; std::getline(in, line); ++number) {
    if (line.find_first_not_of(" \t\r") == std::string::npos || line[line.find_first_not_of(" \t\r")] == '#') continue;
    const auto row = cells(line);
    if (column.empty()) {
      for (size_t i = 0; i < row.size(); ++i) column[row[i]] = i;
      for (const char* needed : {"frame", "x", "y", "z", "focal_mm", "back_width_mm", "back_height_mm"})
        if (!column.count(needed))
          throw Error(fmt::format("{}, line {}: there is no column \"{}\"", file.string(), number, needed),
                      "The columns are frame, x, y, z, r00 to r22 (or rx, ry, rz, order), focal_mm, back_width_mm, "
                      "back_height_mm");
      if (!column.count("r00") && !column.count("rx"))
        throw Error(fmt::format("{}, line {}: the rotation is missing", file.string(), number),
                    "Give r00 to r22, or rx, ry, rz and order");
      continue;
    }
    const auto text = [&](const std::string& name) {
      const auto it = column.find(name);
      if (it == column.end() || it->second >= row.size() || row[it->second].empty())
        throw Error(fmt::format("{}, line {}: \"{}\" is missing", file.string(), number, name),
                    "Fill the line, or take it out");
      return row[it->second];
    };
    const auto value = [&](const std::string& name) {
      const std::string t = text(name);
      char* end = nullptr;
      const double v = std::strtod(t.c_str(), &end);
      if (end == t.c_str() || *end)
        throw Error(fmt::format("{}, line {}: \"{}\" is not a number ({})", file.string(), number, name, t),
                    "Write it with a decimal point");
      if (!std::isfinite(v))
        throw Error(fmt::format("{}, line {}, frame {}: \"{}\" is {}", file.string(), number, row[0], name, t),
                    "Export the camera again; every value must be a finite number");
      return v;
    };
    Pose pose;
    pose.position = {value("x"), value("y"), value("z")};
    if (column.count("r00")) {
      for (int i = 0; i < 9; ++i) pose.rotation(i / 3, i % 3) = value(fmt::format("r{}{}", i / 3, i % 3));
    } else {
      std::string order = text("order");
      for (char& c : order) c = static_cast<char>(std::toupper(c));
      std::string sorted = order;
      std::sort(sorted.begin(), sorted.end());
      if (sorted != "XYZ")
        throw Error(fmt::format("{}, line {}: \"{}\" is not an order of axes", file.string(), number, order),
                    "Write it like YXZ");
      pose.rotation = eulerRotation(order, {value("rx"), value("ry"), value("rz")});
    }
    pose.focalMm = value("focal_mm");
    path.backWidthMm = value("back_width_mm");
    path.backHeightMm = value("back_height_mm");
    if (column.count("centre_x_px")) path.centreOffsetPx = {value("centre_x_px"), value("centre_y_px")};
    if (column.count("readout")) path.readout = value("readout");
    const double frame = value("frame");
    if (frame != std::floor(frame) || std::abs(frame) > 1e9)
      throw Error(fmt::format("{}, line {}: frame {} is not a whole number", file.string(), number, frame),
                  "Number the frames as the plate's files are numbered");
    if (!path.poses.emplace(static_cast<int>(frame), pose).second)
      throw Error(fmt::format("{}, line {}: frame {} is there twice", file.string(), number, frame),
                  "Take one of them out");
  }
  if (path.empty()) throw Error(fmt::format("{}: holds no frames", file.string()), "Export the camera again");
  return path;
}

void writeCameraCsv(const fs::path& file, const CameraPath& path) {
  std::string out =
      "# world: right-handed, Y up, metres; the camera looks along its -Z; r00..r22: world-from-camera, row by row\n"
      "# readout: part of a frame's time from the first row's reading to the last's; the pose is the middle row's\n"
      "# optical centre: from the frame's centre, pixels, x right, y down\n"
      "frame,x,y,z,r00,r01,r02,r10,r11,r12,r20,r21,r22,focal_mm,back_width_mm,back_height_mm,centre_x_px,centre_y_px,"
      "readout\n";
  for (const auto& [frame, p] : path.poses) {
    out += fmt::format("{},{:.15g},{:.15g},{:.15g}", frame, p.position.x(), p.position.y(), p.position.z());
    for (int i = 0; i < 9; ++i) out += fmt::format(",{:.17g}", p.rotation(i / 3, i % 3));
    out += fmt::format(",{:.15g},{:.15g},{:.15g},{:.15g},{:.15g},{:.15g}\n", p.focalMm, path.backWidthMm,
                       path.backHeightMm, path.centreOffsetPx.x(), path.centreOffsetPx.y(), path.readout);
  }
  writeText(file, out);
}

}  // namespace zentil::camera
