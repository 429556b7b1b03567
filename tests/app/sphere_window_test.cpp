// A 2:1 plate in the window: how it turns, looked at flat and steadied, stood upright, delivered.
#include <Eigen/Geometry>
#include <QLabel>
#include <QPushButton>
#include <QWheelEvent>

#include "core/comp/layer.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/view/view.h"
#include "tests/app/window.h"

namespace zentil {
namespace {

using test::Window;

constexpr int kWide = 640, kHigh = 320;

Mat3 standsOn(int f) { return view::steered({4.0 * (f - 1), 3 * std::sin(f), 2.0 * f, 90}, 2, 1).rotation; }

/// A sphere of one pattern that turns.
shot::Shot turning(const test::Folder& folder, int frames = 5) {
  std::filesystem::create_directories(folder / "plate");
  for (int f = 1; f <= frames; ++f) {
    image::Picture p(kWide, kHigh, 4, 1.0f);
    const view::Sphere sphere(kWide, kHigh, standsOn(f));
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        Vec3 d;
        sphere.unproject(Vec2(x + 0.5, y + 0.5), d);
        const double v = 0.5 * (test::texture(1.2 * d.x() + 0.7 * d.z(), 1.2 * d.y() - 0.5 * d.z()) +
                                test::texture(1.1 * d.z() - 0.6 * d.y() + 4, 1.1 * d.x() + 0.8 * d.y()));
        std::fill_n(p.pixel(x, y), 3, static_cast<float>(v));
      }
    image::writePicture(folder / fmt::format("plate/around.{:04}.exr", f), p, {});
  }
  shot::Shot s;
  s.name = "around";
  s.setPlate(image::openPlate(folder / "plate/around.0001.exr"));
  s.projection = shot::Projection::Sphere;
  s.delivery.pattern = (folder / "deliver/around.####.exr").string();
  return s;
}

double degreesBetween(const Mat3& a, const Mat3& b) {
  return Eigen::AngleAxisd(a.transpose() * b).angle() * 180 / M_PI;
}

TEST(SphereWindow, HowItTurnsIsFoundLookedAtAndTakenOut) {
  const test::Folder folder;
  Window w(turning(folder), folder);
  w.station("Camera");
  EXPECT_FALSE(w.window.findChild<QWidget*>("solveCamera")->isVisible()) << "a sphere is not solved";
  w.click("findTurns");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.shot().camera->poses.size() == 5; })) << w.notice().toStdString();
  for (int f = 2; f <= 5; ++f) {
    const auto& poses = w.shot().camera->poses;
    EXPECT_LT(
        degreesBetween(poses.at(1).rotation.transpose() * poses.at(f).rotation, standsOn(1).transpose() * standsOn(f)),
        0.05)
        << f;
  }
  // Undo takes it back, redo brings it.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot().camera->empty());
  w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(w.shot().camera->poses.size(), 5U);

  // Steadied, a place of the world stays on the screen.
  w.station("Deliver");
  w.choose("hold", "hold the camera's turn");
  w.click("lookSteady");
  ASSERT_TRUE(w.settle());
  const Vec3 place = w.shot().camera->poses.at(1).rotation * standsOn(1).transpose() * Vec3(0.3, 0.2, -1);
  QPoint first;
  for (int f = 1; f <= 5; ++f) {
    w.session().setFrame(f);
    ASSERT_TRUE(w.settle());
    QPointF seen;
    ASSERT_TRUE(w.window.cameraView().toScreen(place, seen));
    if (f == 1) first = seen.toPoint();
    EXPECT_LE((seen.toPoint() - first).manhattanLength(), 1) << f;
    // And the plate's pixel under it is that place's.
    Vec2 truth;
    ASSERT_TRUE(view::Sphere(kWide, kHigh, standsOn(f)).see(Vec3(0.3, 0.2, -1), truth));
    EXPECT_LT((w.window.cameraView().widgetToPlate(seen) - truth).norm(), 0.3) << f;
  }
  w.click("deliverSteady");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("5 frames"); })) << w.notice().toStdString();
  EXPECT_EQ(shot::load(folder / "steady/around_steady.zentil").projection, shot::Projection::Sphere);
}

TEST(SphereWindow, AFlatViewIsSteeredByDraggingAndTheWheel) {
  const test::Folder folder;
  Window w(turning(folder, 2), folder);
  ASSERT_TRUE(w.settle());
  auto* view = &w.window.cameraView();
  w.key(Qt::Key_L);
  EXPECT_TRUE(w.session().view().straight);
  EXPECT_EQ(w.find<QPushButton>("straight")->text(), "flat");
  ASSERT_TRUE(w.settle());
  // Ahead is in the middle of the view, and goes where the hand drags it.
  const Vec2 ahead(kWide / 2.0, kHigh / 2.0);
  const QPointF middle = view->plateToWidget(ahead);
  EXPECT_LT((view->widgetToPlate(middle) - ahead).norm(), 1e-6);
  const QPoint to = middle.toPoint() + QPoint(80, -30);
  w.drag(view, middle.toPoint(), to, 8, Qt::ControlModifier);
  EXPECT_LT(w.session().view().steer.yaw, -1);
  EXPECT_LT(w.session().view().steer.pitch, -1);
  EXPECT_LT((view->plateToWidget(ahead) - QPointF(to)).manhattanLength(), 30);
  ASSERT_TRUE(w.settle());
  // The wheel makes it wider and narrower.
  const double fov = w.session().view().steer.fovDegrees;
  QWheelEvent wheel(middle, view->mapToGlobal(middle.toPoint()), {}, {0, 240}, Qt::NoButton, Qt::NoModifier,
                    Qt::NoScrollPhase, false);
  QApplication::sendEvent(view, &wheel);
  EXPECT_LT(w.session().view().steer.fovDegrees, fov);
  ASSERT_TRUE(w.settle());
  w.click("asShot");
  EXPECT_EQ(view->plateToWidget(ahead), view->plateToWidget(ahead));
  EXPECT_FALSE(w.session().view().straight);
}

TEST(SphereWindow, AFlatViewIsKeyedWrittenAsAPlateAndItsCameraPutBack) {
  const test::Folder folder;
  Window w(turning(folder), folder);
  ASSERT_TRUE(w.settle());
  auto* view = &w.window.cameraView();
  const auto turnBy = [&](int dx, int dy) {
    const QPoint middle = view->plateToWidget({kWide / 2.0, kHigh / 2.0}).toPoint();
    const QPoint from = view->rect().contains(middle) ? middle : view->rect().center();
    w.drag(view, from, from + QPoint(dx, dy), 6, Qt::ControlModifier);
    ASSERT_TRUE(w.settle());
  };
  w.station("Deliver");
  w.click("keyFlat");
  EXPECT_TRUE(w.notice().contains("flat view first")) << w.notice().toStdString();
  EXPECT_FALSE(w.shot().flatView.yaw.keyed());
  w.key(Qt::Key_L);
  turnBy(60, 20);
  const auto first = w.session().view().steer;
  w.click("keyFlat");
  ASSERT_TRUE(w.shot().flatView.yaw.keyed());
  EXPECT_TRUE(w.find<QPushButton>("lookFlat")->isChecked()) << "what is looked at is the shot's own now";
  w.session().setFrame(5);
  ASSERT_TRUE(w.settle());
  turnBy(-90, 10);
  EXPECT_FALSE(w.find<QPushButton>("lookFlat")->isChecked()) << "looking around changes nothing by itself";
  w.click("keyFlat");
  const auto& keyed = w.shot().flatView;
  EXPECT_NEAR(keyed.yaw.at(1), first.yaw, 1e-9);
  EXPECT_NEAR(keyed.pitch.at(1), first.pitch, 1e-9);
  EXPECT_GT(keyed.yaw.at(5), keyed.yaw.at(1) + 3);
  EXPECT_GT(keyed.yaw.at(3), keyed.yaw.at(1));
  EXPECT_LT(keyed.yaw.at(3), keyed.yaw.at(5));
  // Looked at as keyed, its middle is where the keys say.
  w.session().setFrame(3);
  ASSERT_TRUE(w.settle());
  const auto eye = view::steered(keyed.at(3), kWide, kHigh);
  Vec2 plate;
  ASSERT_TRUE(view::Sphere(kWide, kHigh).see(eye.unproject({eye.cx, eye.cy}), plate));
  const QPointF middle = view->plateToWidget(plate), corner = view->plateToWidget(plate + Vec2(1, 0));
  EXPECT_LT((view->widgetToPlate(middle) - plate).norm(), 1e-6);
  EXPECT_GT((corner - middle).manhattanLength(), 0.2);
  // One undo for one key.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR(w.shot().flatView.yaw.at(5), first.yaw, 1e-9);
  w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  w.type("width", "320");
  w.type("height", "200");
  w.click("writeFlat");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("5 frames"); })) << w.notice().toStdString();
  const auto file = folder / "view/around_view.zentil";
  auto flat = shot::load(file);
  EXPECT_EQ(flat.width, 320);
  EXPECT_EQ(flat.plate().range.count(), 5);
  // Put back before it was solved: in words. Then with the camera that the pattern's turning asks for.
  w.station("Camera");
  EXPECT_TRUE(w.find<QPushButton>("takeFlatCamera")->isVisible());
  w.load({app::FileWish::For::FlatShot}, QString::fromStdString(file.string()));
  EXPECT_TRUE(w.notice().contains("no camera yet")) << w.notice().toStdString();
  auto path = std::make_shared<camera::CameraPath>(*flat.camera);
  for (int f = 1; f <= 5; ++f)
    path->poses[f] = {Vec3(0.1 * f, 0, 0), standsOn(f) * view::steered(w.shot().flatView.at(f), 2, 1).rotation,
                      path->focalMm};
  flat.camera = path;
  shot::save(flat, file);
  w.load({app::FileWish::For::FlatShot}, QString::fromStdString(file.string()));
  ASSERT_EQ(w.shot().camera->poses.size(), 5U) << w.notice().toStdString();
  for (int f = 1; f <= 5; ++f) {
    EXPECT_LT(degreesBetween(w.shot().camera->poses.at(f).rotation, standsOn(f)), 1e-3) << f;
    EXPECT_NEAR(w.shot().camera->poses.at(f).position.x(), 0.1 * f, 1e-9);
  }
}

TEST(SphereWindow, TheWorldIsStoodUprightByAClickAndByLines) {
  const test::Folder folder;
  Window w(turning(folder, 2), folder);
  w.station("Lens");
  EXPECT_FALSE(w.window.findChild<QWidget*>("loadLens")->isVisible()) << "a sphere has no lens";
  ASSERT_TRUE(w.settle());
  Vec2 up;
  ASSERT_TRUE(view::Sphere(kWide, kHigh, standsOn(1)).see(Vec3::UnitY(), up));
  w.click("pickUp");
  EXPECT_EQ(w.session().tool(), app::Tool::Up);
  w.clickPicture(w.at(up.x(), up.y()));
  EXPECT_EQ(w.session().tool(), app::Tool::Pick) << "once";
  ASSERT_EQ(w.shot().camera->poses.size(), 2U) << w.notice().toStdString();
  const Vec3 stands = w.shot().camera->poses.at(1).rotation * standsOn(1).transpose() * Vec3::UnitY();
  EXPECT_LT(std::acos(stands.y()) * 180 / M_PI, 0.6) << "to the pixel that was clicked";
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot().camera->empty());
  // Lines along two plumb edges (none of the pattern's: without snapping, straight into the shot).
  w.session().change("lines", [](shot::Shot& s) {
    int n = 0;
    for (const double yaw : {0.0, 1.2, 2.9}) {
      lens::StraightLine line;
      line.id = "l" + std::to_string(++n), line.frame = 1;
      for (const double height : {-0.8, 0.0, 0.9}) {
        Vec2 at;
        view::Sphere(kWide, kHigh, standsOn(1)).see(Vec3(std::sin(yaw), height, -std::cos(yaw)), at);
        line.points.push_back(at);
      }
      s.lines.push_back(line);
    }
  });
  EXPECT_TRUE(w.find<QLabel>("lineText")->text().contains("off vertical"));
  EXPECT_EQ(w.find<QPushButton>("solveLens")->text(), "Level by the lines");
  w.click("solveLens");
  ASSERT_FALSE(w.shot().camera->empty()) << w.notice().toStdString();
  const Vec3 now = w.shot().camera->poses.at(2).rotation * standsOn(1).transpose() * Vec3::UnitY();
  EXPECT_LT(std::acos(std::min(1.0, now.y())) * 180 / M_PI, 0.05);
  EXPECT_TRUE(w.find<QLabel>("lensAnswer")->text().contains("Levelled"));
}

TEST(SphereWindow, APatchStraightDownStandsWithTheWorld) {
  const test::Folder folder;
  auto shot = turning(folder, 4);
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 36, path->backHeightMm = 18, path->focalMm = 18;
  for (int f = 1; f <= 4; ++f) path->poses[f] = {Vec3::Zero(), standsOn(f), 18};
  shot.camera = path;
  image::Picture disc(128, 128, 4, 0.0f);
  for (int y = 0; y < 128; ++y)
    for (int x = 0; x < 128; ++x)
      if (std::hypot(x - 63.5, y - 63.5) < 50) std::fill_n(disc.pixel(x, y), 4, 1.0f), disc.pixel(x, y)[1] = 0;
  image::WriteOptions alpha;
  alpha.alpha = true;
  image::writePicture(folder / "disc.exr", disc, alpha);
  Window w(shot, folder);
  w.station("Work");
  w.load({app::FileWish::For::NewElement, "picture"}, QString::fromStdString((folder / "disc.exr").string()));
  ASSERT_EQ(w.shot().elements.size(), 1U) << w.notice().toStdString();
  w.click("more");
  w.type("pitch", "-90");
  w.type("fovDegrees", "50");
  w.choose("ofWorld", "locked to the world");
  ASSERT_TRUE(w.settle());
  // Straight down of the world is covered on every frame, wherever the sphere has that.
  for (int f = 1; f <= 4; ++f) {
    const auto built = comp::buildFrame(evaluate::ShotEvaluator::of(w.shot())->at(f), w.window.engine().cache(), {});
    for (const Vec3& way : {Vec3(0, -1, 0.01), Vec3(0.15, -1, -0.1)}) {
      Vec2 at;
      ASSERT_TRUE(view::Sphere(kWide, kHigh, standsOn(f)).see(way, at));
      EXPECT_NEAR(built.pixel(static_cast<int>(at.x()), static_cast<int>(at.y()))[1], 0, 0.02) << f;
    }
    Vec2 at;
    ASSERT_TRUE(view::Sphere(kWide, kHigh, standsOn(f)).see(Vec3(0.6, -1, 0), at));
    EXPECT_GT(built.pixel(static_cast<int>(at.x()), static_cast<int>(at.y()))[1], 0.05) << f;
  }
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(std::get<element::InFlatView>(w.shot().elements[0].place).ofWorld);
}

}  // namespace
}  // namespace zentil
