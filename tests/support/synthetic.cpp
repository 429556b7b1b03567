#include "tests/support/synthetic.h"

#include <stdlib.h>
#include <sys/wait.h>

#include <array>
#include <cmath>
#include <cstdio>

#include "core/base/error.h"
#include "core/image/plate.h"
#include "core/image/write.h"

namespace fs = std::filesystem;

namespace zentil::test {

Folder::Folder() {
  std::string name = (fs::temp_directory_path() / "zentil-test-XXXXXX").string();
  path_ = mkdtemp(name.data());
}

Folder::~Folder() {
  std::error_code ec;
  fs::permissions(path_, fs::perms::owner_all, fs::perm_options::add, ec);
  fs::remove_all(path_, ec);
}

double texture(double u, double v) {
  // Seven waves at once, each to a ten-millionth: one after the other they were a quarter of whole suites.
  using Waves = Eigen::Array<double, 8, 1>;
  static const Waves across = (Waves() << 3.1, -2.3, 7.7, 11.9, 17.3, -23.7, 29.3, 0).finished() / (2 * M_PI),
                     down = (Waves() << 1.7, 4.9, 5.3, -8.3, 13.1, 19.9, 27.1, 0).finished() / (2 * M_PI),
                     phase = (Waves() << 0.3, 1.1, 2.0, 0.7, 1.9, 2.8, 0.1, 0).finished() / (2 * M_PI);
  Waves turns = across * u + down * v + phase;
  turns -= turns.rint();
  return 0.5 + 0.4 / 4.2 * static_cast<double>((turns * (2 * M_PI)).cast<float>().sin().sum());
}

void paintWall(const shot::Shot& shot, const std::array<float, 3>& tint) {
  // The lens is the same on every frame: where it sends straight pixels is asked once.
  const auto lens = shot.lensAt(shot.range.first);
  std::vector<Vec2> straight;
  for (int y = 0; y < shot.height; ++y)
    for (int x = 0; x < shot.width; ++x) lens.straightFromPlate({x + 0.5, y + 0.5}, straight.emplace_back());
  for (int f = shot.range.first; f <= shot.range.last; ++f) {
    image::Picture p(shot.width, shot.height, 4, 1.0f);
    const auto camera = shot.cameraAt(f);
    for (int y = 0, i = 0; y < shot.height; ++y)
      for (int x = 0; x < shot.width; ++x, ++i) {
        const Vec3 d = camera.unproject(straight[static_cast<size_t>(i)]),
                   at = camera.position - d * (camera.position.z() / d.z());
        const auto v = static_cast<float>(texture(at.x(), at.y()));
        for (size_t c = 0; c < 3; ++c) p.pixel(x, y)[c] = v * tint[c];
      }
    image::writePicture(shot.plate().fileOf(f), p, {});
  }
}

void addNail(shot::Shot& shot) {
  set::Spot spot;
  spot.id = "o1", spot.name = "nail", spot.position = Vec3(0, 1.5, 0), spot.frame = 1003;
  shot.spots.push_back(spot);
}

set::Surface surface(set::SurfaceKind kind, const Vec3& position, const Vec3& size, const std::string& id) {
  set::Surface s;
  s.kind = kind, s.position = position, s.size = size, s.id = s.name = id;
  return s;
}

shot::Shot unpaintedWall(const Folder& folder, int frames, int width, int height, double k1) {
  shot::Shot shot;
  shot.name = "walk";
  image::Plate plate;
  plate.pattern = (folder / "plate/walk.####.exr").string();
  plate.range = {1001, 1000 + frames};
  plate.width = width, plate.height = height;
  plate.colourSpace = "scene_linear";
  shot.setPlate(plate);
  shot.lens.k1 = k1;
  shot.delivery.pattern = (folder / "deliver/walk.####.exr").string();
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 24, path->backHeightMm = 24.0 * height / width;
  path->centreOffsetPx = Vec2(1.5, -0.8);
  for (int i = 0; i < frames; ++i) {
    camera::Pose p;
    p.position = Vec3(-0.25 + 0.5 * i / std::max(1, frames - 1), 1.5, 4);
    p.rotation = Eigen::AngleAxisd(0.04 - 0.08 * i / std::max(1, frames - 1), Vec3::UnitY()).toRotationMatrix();
    p.focalMm = 24;
    path->poses[1001 + i] = p;
  }
  shot.camera = path;
  set::Surface wall;
  wall.id = "s1", wall.name = "wall";
  wall.position = Vec3(0, 1.5, 0);
  wall.size = Vec3(8, 6, 1);
  shot.surfaces = {wall};
  fs::create_directories(folder / "plate");
  return shot;
}

shot::Shot walkAlongWall(const Folder& folder, int frames, int width, int height, double k1) {
  auto shot = unpaintedWall(folder, frames, width, height, k1);
  paintWall(shot);
  return shot;
}

matte::Shape rectangle(double x0, double y0, double x1, double y1) {
  matte::Shape s;
  matte::ShapePoints points;
  for (const Vec2& p : {Vec2(x0, y0), Vec2(x1, y0), Vec2(x1, y1), Vec2(x0, y1)})
    points.push_back({p, Vec2::Zero(), Vec2::Zero(), -1});
  s.points = points;
  return s;
}

void addPatch(shot::Shot& shot, int source, int drawnOn, double x0, double y0, double x1, double y1, double featherPx) {
  matte::Matte m;
  m.id = "m1", m.name = "outline";
  matte::Part p;
  p.id = "p1", p.name = "shapes", p.softPx = featherPx;
  p.content = matte::RotoShapes{{rectangle(x0, y0, x1, y1)}, drawnOn};
  m.parts = {p};
  shot.mattes = {m};
  element::Element e;
  e.id = "e1", e.name = "patch";
  e.source = element::Patch{source, {}, {}};
  e.place = element::OnSurface{"s1"};
  e.cover = {{"m1"}};
  shot.elements = {e};
}

void repaint(const shot::Shot& shot, const std::function<void(int, image::Picture&)>& change) {
  for (int f = shot.range.first; f <= shot.range.last; ++f) {
    image::Picture p = image::readFrame(shot.plate(), f).picture;
    change(f, p);
    image::writePicture(shot.plate().fileOf(f), p, {});
  }
}

fs::path writeMatte(const shot::Shot& shot, const fs::path& folder, const Box& box) {
  fs::create_directories(folder);
  const auto fileOf = [&](int f) { return folder / ("m." + std::to_string(f) + ".exr"); };
  image::Picture p(shot.width, shot.height, 4);
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x) p.pixel(x, y)[0] = 1;
  for (int f = shot.range.first; f <= shot.range.last; ++f) image::writePicture(fileOf(f), p, {});
  return fileOf(shot.range.first);
}

int runCommand(const std::string& command, std::string* printed) {
  FILE* p = popen((command + " 2>&1").c_str(), "r");
  if (!p) return -1;
  std::array<char, 4096> buffer;
  std::string out;
  while (const size_t n = fread(buffer.data(), 1, buffer.size(), p)) out.append(buffer.data(), n);
  if (printed) *printed = out;
  const int status = pclose(p);
  return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

std::string errorOf(const std::function<void()>& run) {
  try {
    run();
  } catch (const Error& e) {
    return e.what();
  }
  return {};
}

}  // namespace zentil::test
