// The set made by hand where no points are: walls raised along their foot, the world set upright by what stands plumb.
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "core/set/surface.h"
#include "tests/app/window.h"

namespace zentil {
namespace {

using test::Window;

TEST(SetWindow, AWallIsRaisedAlongItsFoot) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  // The floor before the wall; it is what the next one stands on.
  auto floor = test::surface(set::SurfaceKind::Plane, Vec3(0, 0.4, 1.5), Vec3(6, 3, 1), "floor");
  floor.turn = set::turnFor(Vec3::UnitY());
  s.surfaces.emplace_back(floor);
  Window w(s, folder);
  w.session().setFrame(1002);
  w.station("Set");
  ASSERT_TRUE(w.settle());
  EXPECT_FALSE(w.find<QPushButton>("raiseWall")->isEnabled()) << "nothing is chosen for it to stand on";
  w.session().chooseSurface("floor");
  auto* view = &w.window.cameraView();
  const size_t before = w.shot().surfaces.size();
  const auto drag = [&](const Vec3& from, const Vec3& to, Qt::KeyboardModifiers with = Qt::NoModifier) {
    w.click("raiseWall");
    EXPECT_EQ(w.session().tool(), app::Tool::Wall);
    w.drag(view, w.at(from), w.at(to), 8, with);
  };
  // Square to the wall, nearly: it is taken to be so.
  drag(Vec3(-0.6, 0.4, 0.1), Vec3(-0.55, 0.4, 1.2));
  ASSERT_EQ(w.shot().surfaces.size(), before + 1) << w.notice().toStdString();
  EXPECT_TRUE(w.notice().contains("square to wall")) << w.notice().toStdString();
  auto made = w.shot().surfaces.back().at(1002);
  EXPECT_NEAR(std::abs(made.normal().x()), 1, 1e-9);
  EXPECT_NEAR(made.turn.col(1).y(), 1, 1e-9);
  EXPECT_NEAR(made.position.y() - made.size.y() / 2, 0.4, 1e-6) << "it stands on the floor";
  EXPECT_NEAR(made.position.x(), -0.575, 0.05);
  EXPECT_GT(made.size.y(), 0.5);
  // With Alt as drawn.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().surfaces.size(), before);
  w.session().chooseSurface("floor");
  drag(Vec3(-0.6, 0.4, 0.1), Vec3(-0.5, 0.4, 1.2), Qt::AltModifier);
  ASSERT_EQ(w.shot().surfaces.size(), before + 1);
  made = w.shot().surfaces.back().at(1002);
  EXPECT_NEAR(std::acos(std::abs(made.normal().x())) * 180 / M_PI, std::atan2(0.1, 1.1) * 180 / M_PI, 1);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  // A click is enough beside one that stands.
  w.session().chooseSurface("floor");
  w.click("raiseWall");
  w.clickPicture(w.at(Vec3(0.3, 0.4, 0.4)));
  ASSERT_EQ(w.shot().surfaces.size(), before + 1) << w.notice().toStdString();
  EXPECT_NEAR(std::abs(w.shot().surfaces.back().at(1002).normal().x()), 1, 1e-9);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  // Where the floor is not, it is refused, and nothing is lost.
  w.session().chooseSurface("floor");
  const auto now = w.shot();
  drag(Vec3(0, 2.4, 0), Vec3(0.5, 2.4, 0));
  EXPECT_EQ(w.shot(), now);
  EXPECT_TRUE(w.notice().contains("is not on floor")) << w.notice().toStdString();
  QTest::keyClick(view, Qt::Key_Escape);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
}

TEST(SetWindow, TheFirstFrameIsHeldAgainstTheLastByWayOfTheSet) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 4, 640, 360);
  Window w(s, folder);
  w.key(Qt::Key_End);
  w.key(Qt::Key_B, Qt::ShiftModifier);
  EXPECT_EQ(w.session().view().against, 1001);
  EXPECT_EQ(w.session().view().compare, app::Compare::Wipe);
  ASSERT_TRUE(w.settle());
  w.key(Qt::Key_H);
  // Left of the line the first frame, right of it the last: where the wall is seen by both, they are the same picture.
  auto* view = &w.window.cameraView();
  const auto grabbed = [&] {
    view->grab();  // what is looked at asks for its pictures
    EXPECT_TRUE(w.settle());
    return view->grab().toImage();
  };
  const auto apart = [&](const QImage& a, const QImage& b) {
    double sum = 0;
    int n = 0;
    for (double x = 150; x < 300; x += 3)
      for (double y = 100; y < 250; y += 3, ++n)
        sum += std::abs(qGray(a.pixel(w.at(x, y))) - qGray(b.pixel(w.at(x, y))));
    return sum / n;
  };
  const QImage first = grabbed();
  w.key(Qt::Key_Home);
  const QImage shifted = grabbed();
  w.key(Qt::Key_End);
  w.key(Qt::Key_B);  // no comparison: the last frame alone
  const QImage last = grabbed();
  EXPECT_LT(apart(first, last), 2.5);
  EXPECT_GT(apart(shifted, last), 10) << "the camera walks on";
  // Difference and flicker hold against it as well; with the plate again by the same key.
  w.key(Qt::Key_X);
  EXPECT_TRUE(w.settle());
  const auto light = [&](const QImage& of) {
    QImage black(of.size(), QImage::Format_RGB32);
    black.fill(Qt::black);
    return apart(of, black);
  };
  const double left = light(grabbed());
  // The wall a hand behind where it is: what lay on itself no longer does.
  w.session().change("moved", [](shot::Shot& s) { s.surfaces[0].position = Vec3(0, 1.5, -0.1); });
  EXPECT_GT(light(grabbed()), 2 * left + 5) << left;
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR(light(grabbed()), left, 1) << "and back";
  w.key(Qt::Key_B, Qt::ShiftModifier);
  EXPECT_FALSE(w.session().view().against);
}

TEST(SetWindow, WithoutACameraThereIsNothingToHoldTheLastFrameAgainst) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  s.camera = std::make_shared<camera::CameraPath>();
  Window w(s, folder);
  w.key(Qt::Key_B, Qt::ShiftModifier);
  EXPECT_FALSE(w.session().view().against);
  EXPECT_TRUE(w.notice().contains("no camera on frame 1001")) << w.notice().toStdString();
}

TEST(SetWindow, LinesThatStandPlumbSetTheWorldUpright) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  // The camera was loaded from elsewhere: its world leans.
  const Mat3 lean =
      (Eigen::AngleAxisd(0.12, Vec3::UnitX()) * Eigen::AngleAxisd(-0.07, Vec3::UnitZ())).toRotationMatrix();
  const auto truth = *s.camera;
  auto leaning = truth;
  for (auto& [f, p] : leaning.poses) p.position = lean * p.position, p.rotation = lean * p.rotation;
  s.camera = std::make_shared<camera::CameraPath>(leaning);
  s.surfaces.clear();
  Window w(s, folder);
  w.station("Lens");
  ASSERT_TRUE(w.settle());
  // Along upright things, on two frames; as they are, without snapping.
  for (const auto& [frame, x] : {std::pair(1001, -1.2), {1001, 0.9}, {1003, -0.8}, {1003, 1.2}}) {
    w.session().setFrame(frame);
    ASSERT_TRUE(w.settle());
    w.session().setTool(app::Tool::Line);
    for (const double y : {0.7, 1.2, 1.8, 2.3}) w.clickPicture(w.at(Vec3(lean * Vec3(x, y, 0))), Qt::ShiftModifier);
    QTest::keyClick(&w.window.cameraView(), Qt::Key_Return, Qt::ShiftModifier);
  }
  ASSERT_EQ(w.shot().lines.size(), 4U);
  w.laidOut();
  for (auto* b : w.window.findChildren<QToolButton*>("linePlumb"))
    if (b->isVisible()) QTest::mouseClick(b, Qt::LeftButton);
  for (const auto& l : w.shot().lines) EXPECT_TRUE(l.vertical);
  w.station("Set");
  w.click("say:vertical");
  ASSERT_EQ(w.shot().constraints.size(), 1U) << w.notice().toStdString();
  for (const auto& [f, p] : w.shot().camera->poses) {
    const Vec3 up = p.rotation * truth.poses.at(f).rotation.transpose() * Vec3::UnitY();
    EXPECT_LT(std::acos(std::min(1.0, up.y())) * 180 / M_PI, 0.4) << f;  // clicks are whole pixels of the screen
  }
  // Saved, and the same again.
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(shot::load(w.file) == w.shot());
  // A statement that is removed leaves the set where it is; undo brings it back.
  const auto upright = w.shot().camera->poses;
  w.click("removeStatement");
  EXPECT_TRUE(w.shot().constraints.empty());
  EXPECT_EQ(w.shot().camera->poses, upright);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  ASSERT_EQ(w.shot().constraints.size(), 1U);
  // A line is removed by its own button.
  w.station("Lens");
  w.click("removeLine");
  ASSERT_EQ(w.shot().lines.size(), 3U);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  ASSERT_EQ(w.shot().lines.size(), 4U);
  w.station("Set");
  // One line alone does not say it: that is told beside the statement.
  w.session().change("fewer", [](shot::Shot& t) {
    for (size_t i = 1; i < t.lines.size(); ++i) t.lines[i].vertical = false;
  });
  EXPECT_TRUE(test::waitFor([&] { return w.find<QLabel>("worldRemarks")->text().contains("one line"); }, 3000))
      << w.find<QLabel>("worldRemarks")->text().toStdString();
}

}  // namespace
}  // namespace zentil
