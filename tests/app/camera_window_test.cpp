// At Camera: a film back that does not go with the picture, and the move of something before a camera that stands.
#include <Eigen/Geometry>
#include <QPushButton>
#include <random>

#include "core/edit/new_shot.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

TEST(CameraWindow, AFilmBackOfAnotherShapeIsOfferedToBeMadeRight) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  auto wrong = std::make_shared<camera::CameraPath>(*s.camera);
  wrong->backWidthMm = 36, wrong->backHeightMm = 24;  // of a still camera, whose movies are 16:9
  s.camera = wrong;
  const auto problems = shot::problemsOf(s, false);
  EXPECT_TRUE(std::any_of(problems.begin(), problems.end(),
                          [](const auto& p) { return p.text.find("film back") != std::string::npos; }));
  Window w(s, folder);
  w.station("Camera");
  auto* fit = w.find<QPushButton>("fitBack");
  EXPECT_TRUE(fit->text().contains("20.25")) << fit->text().toStdString();
  w.click("fitBack");
  EXPECT_NEAR(w.shot().camera->backHeightMm, 20.25, 1e-9);
  EXPECT_EQ(w.shot().camera->backWidthMm, 36);
  w.laidOut();
  EXPECT_FALSE(fit->isVisible());
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().camera->backHeightMm, 24);
}

/// Tracks of a room that stays, and of the corners of a box that turns by three degrees a frame three metres away.
track::Tracks roomAndBox(const shot::Shot& s, std::map<int, Mat3>& truth) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  std::normal_distribution<double> noise(0, 0.1);
  track::Tracks out;
  const auto add = [&](const std::function<Vec3(int)>& where, const std::function<bool(int)>& seen) {
    track::Track t;
    t.id = static_cast<int>(out.size()) + 1, t.first = s.range.first;
    for (int f = s.range.first; f <= s.range.last; ++f) {
      Vec2 at;
      const auto camera = s.cameraAt(f);
      t.at.push_back(seen(f) && camera.project(where(f), at) ? Vec2(at + Vec2(noise(random), noise(random)))
                                                             : Vec2(Vec2::Constant(NAN)));
    }
    out.push_back(t);
  };
  for (int i = 0; i < 120; ++i) {
    const Vec3 p(4 * u(random), 2.2 * u(random), -8 + 2 * u(random));
    add([=](int) { return p; }, [](int) { return true; });
  }
  const Vec3 middle(0.1, 0, -3);
  for (int f = s.range.first; f <= s.range.last; ++f)
    truth[f] = Eigen::AngleAxisd(0.4, Vec3::UnitX()).toRotationMatrix() *
               Eigen::AngleAxisd(3 * (f - s.range.first) * M_PI / 180, Vec3::UnitY()).toRotationMatrix();
  for (int i = 0; i < 240; ++i) {
    Vec3 p(0.5 * u(random), 0.4 * u(random), 0.45 * u(random)), normal = Vec3::Zero();
    const int axis = i % 3;
    normal[axis] = i % 2 ? 1 : -1, p[axis] = normal[axis] * Vec3(0.5, 0.4, 0.45)[axis];
    const auto& turns = truth;
    add([=, &turns](int f) { return Vec3(middle + turns.at(f) * p); },
        [=, &turns](int f) { return (turns.at(f) * normal).dot(-(middle + turns.at(f) * p)) > 0.15; });
  }
  return out;
}

TEST(CameraWindow, AnObjectsOwnMoveBecomesASurfaceByOneButtonAndUndoTakesItAway) {
  const test::Folder folder;
  auto s = edit::blankShot(folder.path(), 1280, 720, 40, 24);
  auto stands = std::make_shared<camera::CameraPath>();
  stands->backWidthMm = 24.89, stands->backHeightMm = 14.000625, stands->focalMm = 30;
  for (int f = s.range.first; f <= s.range.last; ++f) stands->poses[f] = {Vec3::Zero(), Mat3::Identity(), 30};
  s.camera = stands;
  std::map<int, Mat3> truth;
  s.tracks = std::make_shared<track::Tracks>(roomAndBox(s, truth));
  Window w(s, folder);
  w.station("Camera");
  w.click("solveObject");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().surfaces.size() == 1; })) << w.notice().toStdString();
  EXPECT_TRUE(w.notice().contains("40 frames")) << w.notice().toStdString();
  const auto& box = w.shot().surfaces[0];
  EXPECT_TRUE(box.moves());
  // How it turned from the first frame to the others.
  double most = 0;
  const Mat3 first = box.at(s.range.first).turn;
  for (const auto& [f, turn] : truth) {
    const Mat3 found = box.at(f).turn * first.transpose(), is = turn * truth.begin()->second.transpose();
    most = std::max(most, Eigen::AngleAxisd(Mat3(found.transpose() * is)).angle() * 180 / M_PI);
  }
  std::printf("the box's turn is off by %.3f degrees at the most\n", most);
  EXPECT_LT(most, 1);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot().surfaces.empty());
}

TEST(CameraWindow, ThePixelAspectIsAskedForByAWord) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  track::Track one;
  one.id = 1, one.first = 1001, one.at = {Vec2(40, 40), Vec2(41, 40), Vec2(42, 40)};
  s.tracks = std::make_shared<track::Tracks>(track::Tracks{one});
  Window w(s, folder);
  w.station("Camera");
  w.choose("pixelAspect", "pixel aspect solved.");
  EXPECT_TRUE(w.shot().solveSettings.pixelAspect);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(w.shot().solveSettings.pixelAspect);
}

}  // namespace
}  // namespace zentil
