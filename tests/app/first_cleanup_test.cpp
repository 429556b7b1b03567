// A whole first cleanup from nothing, by mouse and keys alone, on a shot that has nothing of the demo's: a lawn and a
// bank seen from above, low in contrast, through a zoom, with a sheet that lies there until somebody takes it away.
#include <cmath>

#include "core/base/parallel.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

namespace fs = std::filesystem;
using test::waitFor;
using test::Window;

constexpr int kW = 640, kH = 360, kFirst = 101, kLast = 124, kTaken = 113;

/// The camera's truth: sideways over the lawn, looking down, its focal length growing by a fifth.
camera::CameraPath truth() {
  camera::CameraPath path;
  path.backWidthMm = 24.89, path.backHeightMm = 24.89 * kH / kW;
  for (int f = kFirst; f <= kLast; ++f) {
    const double t = static_cast<double>(f - kFirst) / (kLast - kFirst);
    camera::Pose p;
    p.position = Vec3(-1.6 + 3.2 * t, 3.2 + 0.2 * std::sin(5 * t), 3 - 0.4 * t);
    p.rotation = (Eigen::AngleAxisd(0.16 - 0.32 * t, Vec3::UnitY()) * Eigen::AngleAxisd(-0.42, Vec3::UnitX()))
                     .toRotationMatrix();
    p.focalMm = 26 * (1 + 0.2 * t);
    path.poses[f] = p;
  }
  return path;
}

/// The lawn lies at y = 0 up to z = -4; from there the bank rises by 35 degrees. The sheet lies on the lawn.
double brightnessAt(const Vec3& from, const Vec3& way, bool sheet) {
  const double rise = std::tan(35 * M_PI / 180), ground = -from.y() / way.y();
  Vec3 at = from + ground * way;
  double v = 0.2;
  if (ground > 0 && at.z() > -4) {
    v = test::texture(1.3 * at.x() + 40, 1.3 * at.z());
    if (sheet && std::abs(at.x() - 0.2) < 0.42 && std::abs(at.z() + 2) < 0.34) return 0.75;
  } else {
    // y = rise (-4 - z)
    const double t = (rise * (-4 - from.z()) - from.y()) / (way.y() + rise * way.z());
    at = from + t * way;
    v = test::texture(1.1 * at.x() - 7, 1.4 * at.z() + 3);
  }
  return 0.32 + 0.22 * (v - 0.5);
}

image::Picture rendered(const camera::CameraPath& path, int frame, bool sheet) {
  image::Picture p(kW, kH, 4, 1.0f);
  const auto camera = path.at(frame, kW, kH);
  parallelRanges(0, kH, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < kW; ++x) {
        double sum = 0;
        for (int k = 0; k < 9; ++k)
          sum += brightnessAt(camera.position, camera.unproject(Vec2(x + (k % 3 + 0.5) / 3, y + (k / 3 + 0.5) / 3)),
                              sheet);
        const auto v = static_cast<float>(sum / 9);
        p.pixel(x, y)[0] = v * 0.8f, p.pixel(x, y)[1] = v, p.pixel(x, y)[2] = v * 0.7f;
      }
  });
  return p;
}

/// Writes the plate; its first frame's name.
std::string plateIn(const fs::path& folder) {
  fs::create_directories(folder);
  const auto path = truth();
  for (int f = kFirst; f <= kLast; ++f)
    image::writePicture(folder / fmt::format("lawn.{}.exr", f), rendered(path, f, f < kTaken), {});
  return (folder / fmt::format("lawn.{}.exr", kFirst)).string();
}

double psnr(const image::Picture& a, const image::Picture& b, const Box& box) {
  double sum = 0;
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(a.pixel(x, y)[c] - b.pixel(x, y)[c], 2);
  return -10 * std::log10(sum / (3.0 * box.width() * box.height()));
}

TEST(FirstCleanup, ByHandOnAShotThatIsNotTheDemo) {
  const test::Folder folder;
  const std::string first = plateIn(folder / "take/plate");
  app::MainWindow window(size_t{1} << 30);
  window.resize(1280, 800);
  window.show();
  ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
  window.activateWindow();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
  Window w(window);
  // The plate.
  test::answerDialog(first);
  w.key(Qt::Key_N, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return w.shot().hasPlate(); })) << w.notice().toStdString();
  EXPECT_EQ(w.shot().range.count(), 24);
  // Track, and solve a camera that zooms.
  w.station("Track");
  w.click("follow");
  ASSERT_TRUE(waitFor([&] { return !w.shot().tracks->empty() && !w.window.engine().jobs().busy(); }));
  w.station("Camera");
  w.choose("focal", "solved on every frame,");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.shot().solved != nullptr; })) << w.notice().toStdString();
  const double zoom = w.shot().camera->focalAt(kLast) / w.shot().camera->focalAt(kFirst);
  std::printf("zoom %.3f of 1.200, RMS %.3f px\n", zoom, w.shot().solved->rmsPx);
  EXPECT_NEAR(zoom, 1.2, 0.01);
  EXPECT_LT(w.shot().solved->rmsPx, 0.15);
  // Saved under a name. Nothing gives the window back its focus here when a dialog has closed.
  window.activateWindow();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
  test::answerDialog((folder / "take/lawn.zentil").string());
  w.key(Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return !w.session().file().isEmpty(); }, 10000)) << w.notice().toStdString();
  window.activateWindow();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
  // A plane on the lawn, from the points in a rectangle; renamed.
  w.station("Set");
  w.session().setFrame(kTaken - 1);
  ASSERT_TRUE(w.settle());
  w.drag(&w.window.cameraView(), w.at(40, 230), w.at(630, 356));
  ASSERT_GT(w.session().points().size(), 10U);
  w.key(Qt::Key_A);
  ASSERT_EQ(w.shot().surfaces.size(), 1U) << w.notice().toStdString();
  w.find("card");
  w.key(Qt::Key_F2);
  QTest::keyClicks(w.find<QLineEdit>("nameField"), "lawn");
  QTest::keyClick(w.find<QLineEdit>("nameField"), Qt::Key_Return);
  ASSERT_EQ(w.shot().surfaces[0].name, "lawn");
  // A checker first: does it stick? Then it goes.
  w.station("Work");
  w.key(Qt::Key_C);
  ASSERT_EQ(w.shot().elements.size(), 1U);
  w.key(Qt::Key_Delete);
  ASSERT_TRUE(w.shot().elements.empty());
  // A patch from where the sheet is gone and the place still in sight, and its outline where it lies.
  w.session().setFrame(118);
  w.key(Qt::Key_P);
  ASSERT_EQ(w.shot().elements.size(), 1U);
  EXPECT_EQ(w.shot().elements[0].name, "Patch on lawn");
  w.session().setFrame(kTaken - 1);
  ASSERT_TRUE(w.settle());
  const auto camera = truth().at(kTaken - 1, kW, kH);
  w.key(Qt::Key_D);
  for (const auto& [x, z] : {std::pair{-0.32, -2.44}, {0.72, -2.44}, {0.72, -1.56}, {-0.32, -1.56}}) {
    Vec2 at;
    ASSERT_TRUE(camera.project(Vec3(x, 0, z), at));
    w.clickPicture(w.at(at.x(), at.y()));
  }
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Return);
  ASSERT_EQ(w.shot().mattes.size(), 1U);
  w.type("softPx", "4");
  w.click("more");
  w.type("range.last", QString::number(kTaken - 1));
  // Onto the plate: refused. Into its folder: delivered.
  const auto plateBefore = readText(first);
  w.station("Deliver");
  w.load({app::FileWish::For::Delivery}, QString::fromStdString((folder / "take/plate/lawn.###.exr").string()));
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("would be written over"); })) << w.notice().toStdString();
  EXPECT_EQ(readText(first), plateBefore);
  w.load({app::FileWish::For::Delivery}, QString::fromStdString((folder / "take/out/lawn.###.exr").string()));
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("24 frames delivered"); })) << w.notice().toStdString();
  double least = 1e9;
  const auto path = truth();
  for (const int f : {kFirst, 106, kTaken - 1}) {
    const auto made = image::readPicture(folder / fmt::format("take/out/lawn.{}.exr", f), "scene_linear");
    Box box;
    for (const auto& [x, z] : {std::pair{-0.22, -2.34}, {0.62, -2.34}, {0.62, -1.66}, {-0.22, -1.66}}) {
      Vec2 at;
      ASSERT_TRUE(path.at(f, kW, kH).project(Vec3(x, 0, z), at));
      box = unite(box, {static_cast<int>(at.x()), static_cast<int>(at.y()), static_cast<int>(at.x()) + 1,
                        static_cast<int>(at.y()) + 1});
    }
    box = intersect(box, {0, 0, kW, kH});
    least = std::min(least, psnr(made.picture, rendered(path, f, false), box));
  }
  std::printf("where the sheet lay: %.1f dB at the least\n", least);
  EXPECT_GT(least, 38);
  // The plate is moved: found again beside the shot, with everything as it was.
  w.key(Qt::Key_S, Qt::ControlModifier);
  const auto shotBefore = w.shot();
  fs::rename(folder / "take/plate", folder / "take/moved");
  w.openAgain();
  w.station("Plate");
  w.click("takeFoundPlate");
  ASSERT_TRUE(waitFor([&] { return w.shot().plate().pattern.find("moved") != std::string::npos; }));
  EXPECT_TRUE(w.shot().elements == shotBefore.elements);
  EXPECT_EQ(w.shot().tracks->size(), shotBefore.tracks->size());
  ASSERT_TRUE(w.settle());
  // A second patch like the first.
  w.station("Work");
  w.session().chooseElement(QString::fromStdString(w.shot().elements[0].id));
  w.key(Qt::Key_D, Qt::ControlModifier);
  ASSERT_EQ(w.shot().elements.size(), 2U);
  EXPECT_EQ(w.shot().elements[1].name, "Patch on lawn 2");
  w.session().dropAutosave();
}

}  // namespace
}  // namespace zentil
