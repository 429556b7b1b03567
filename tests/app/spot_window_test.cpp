// Spots by click and by a second frame; handed on; the picture steadied, looked at so and delivered.
#include <QLabel>
#include <QPushButton>
#include <filesystem>

#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

TEST(SpotWindow, SpotsAreChosenByClickMovedByKeysAndShownOnASecondFrame) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 640, 360);
  Window w(s, folder);
  w.session().setFrame(1005);
  w.station("Set");
  ASSERT_TRUE(w.settle());
  w.click("addSpot");
  EXPECT_EQ(w.session().tool(), app::Tool::Spot);
  w.clickPicture(w.at(200, 150));
  ASSERT_TRUE(test::waitFor([&] { return w.shot().spots.size() == 1; })) << w.notice().toStdString();
  EXPECT_TRUE(w.notice().contains("on \"wall\"")) << w.notice().toStdString();
  const Vec3 first = w.shot().spots[0].position;
  EXPECT_NEAR(first.z(), 0, 1e-6);
  auto* view = &w.window.cameraView();
  QTest::keyClick(view, Qt::Key_Right, Qt::ShiftModifier);
  EXPECT_NEAR(w.shot().spots[0].position.x() - first.x(), 5 * 4.0 / 640, 0.3 * 4.0 / 640);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().spots[0].position, first);

  // Its depth from something else, by its word; two frames are shown by hand.
  w.choose("depth", "picture");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().spots[0].depth == set::DepthFrom::Picture; }))
      << w.notice().toStdString();
  EXPECT_GT(w.shot().spots[0].sigmaM, 0);
  w.choose("depth", "two frames");
  EXPECT_EQ(w.session().tool(), app::Tool::SecondSpot);
  w.choose("depth", "surface");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().spots[0].depth == set::DepthFrom::Surface; }));
  EXPECT_LT((w.shot().spots[0].position - first).norm(), 1e-6);
  w.session().setTool(app::Tool::Spot);

  // Without a surface the picture tells.
  w.session().change("no surfaces", [](shot::Shot& t) { t.surfaces.clear(), t.spots.clear(); });
  w.clickPicture(w.at(400, 200));
  ASSERT_TRUE(test::waitFor([&] { return w.shot().spots.size() == 1; })) << w.notice().toStdString();
  EXPECT_EQ(w.shot().spots[0].depth, set::DepthFrom::Picture);
  EXPECT_NEAR(w.shot().spots[0].position.z(), 0, 0.03);
  EXPECT_TRUE(w.notice().contains("from the picture")) << w.notice().toStdString();
  // Shown on a second frame by hand.
  const auto spot = w.shot().spots[0];
  w.click("secondFrame");
  w.session().setFrame(1009);
  ASSERT_TRUE(w.settle());
  w.clickPicture(w.at(Vec3(spot.position)));
  EXPECT_EQ(w.shot().spots[0].depth, set::DepthFrom::Frames) << w.notice().toStdString();
  EXPECT_LT((w.shot().spots[0].position - spot.position).norm(), 0.1);
  // The wrong place is refused, with nothing changed.
  const auto before = w.shot();
  w.clickPicture(w.at(Vec3(spot.position)) + QPoint(0, 60));
  EXPECT_EQ(w.shot(), before);
  EXPECT_TRUE(w.notice().contains("miss")) << w.notice().toStdString();
  QTest::keyClick(view, Qt::Key_Escape);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  w.click("spotRemove");
  EXPECT_TRUE(w.shot().spots.empty());
}

TEST(SpotWindow, CameraAndSpotsAreHandedOn) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  test::addNail(s);
  Window w(s, folder);
  w.station("Deliver");
  w.choose("up", "Z");
  EXPECT_EQ(w.shot().exportSettings.up, shot::UpAxis::Z);
  w.click("export");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("files are in"); })) << w.notice().toStdString();
  for (const char* ending : {"_camera.gltf", "_camera.usda", "_camera.dae", "_camera.csv", "_spots.csv", "_pins.csv"})
    EXPECT_TRUE(std::filesystem::exists(folder / ("export/walk" + std::string(ending)))) << ending;
  // Elsewhere only when it was allowed.
  w.session().change("elsewhere", [](shot::Shot& t) { t.exportSettings.folder = "../elsewhere"; });
  w.click("export");
  EXPECT_TRUE(w.notice().contains("outside its own folder")) << w.notice().toStdString();
  EXPECT_FALSE(std::filesystem::exists(folder.path().parent_path() / "elsewhere"));
}

TEST(SpotWindow, MattesAndCutoutsAreDeliveredByAButton) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1002, 1002, 100, 60, 160, 110);
  s.mattes[0].name = "face";
  Window w(s, folder);
  w.station("Deliver");
  w.click("deliverCutouts");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("6 pictures are in"); })) << w.notice().toStdString();
  for (const int f : {1001, 1002, 1003})
    for (const char* kind : {"", "_cutout"})
      EXPECT_TRUE(std::filesystem::exists(folder / fmt::format("export/walk_face{}.{}.exr", kind, f))) << f << kind;
  // The shapes as they are drawn, for other programs.
  w.click("deliverShapes");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return std::filesystem::exists(folder / "export/walk_face.1003.svg"); }, 10000))
      << w.notice().toStdString();
  // Somebody else's file in the way is said and stays.
  std::filesystem::remove(folder / "export/walk_face.1001.exr");
  image::writePicture(folder / "export/walk_face.1001.exr", image::Picture(320, 180, 4), {});
  w.click("deliverMattes");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("did not write"); })) << w.notice().toStdString();
}

TEST(SpotWindow, ThePictureIsSteadiedLookedAtAndDelivered) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addNail(s);
  const auto& spot = s.spots.front();
  Window w(s, folder);
  w.station("Deliver");
  w.session().setFrame(1001);
  EXPECT_FALSE(w.find<QPushButton>("lookSteady")->isEnabled());
  w.choose("hold", "hold the place of");
  EXPECT_EQ(w.shot().steady.spot, "o1") << "the one there is";
  EXPECT_EQ(w.shot().steady.reference, 1003) << "the frame it was chosen on";
  w.choose("spot", "no spot");
  EXPECT_TRUE(w.find<QLabel>("steadyNote")->text().contains("no spot")) << "it says what is missing";
  w.choose("spot", "nail");
  EXPECT_TRUE(w.find<QLabel>("steadyNote")->text().contains("enlarged by"));
  w.click("lookSteady");
  ASSERT_TRUE(w.settle());
  // The spot is at one place of the screen on every frame, and so is what is under it.
  QPoint at;
  for (int f = 1001; f <= 1005; ++f) {
    w.session().setFrame(f);
    ASSERT_TRUE(w.settle());
    const QPoint now = w.at(spot.position);
    if (f > 1001) {
      EXPECT_LE((now - at).manhattanLength(), 1) << f;
    }
    at = now;
    // What the pointer is over is the same place of the plate, there and back.
    const Vec2 plate = w.window.cameraView().widgetToPlate(now);
    Vec2 straight, truth;
    ASSERT_TRUE(s.cameraAt(f).project(spot.position, straight));
    ASSERT_TRUE(s.lensAt(f).plateFromStraight(straight, truth));
    EXPECT_LT((plate - truth).norm(), 0.5) << f;
  }
  w.click("deliverSteady");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("5 frames"); })) << w.notice().toStdString();
  const auto made = shot::load(folder / "steady/walk_steady.zentil");
  EXPECT_TRUE(shot::problemsOf(made, true).empty());
  EXPECT_EQ(made.range, s.range);
  // As ST maps: each frame's says where on the plate the steadied picture is read.
  w.click("deliverSteadyMaps");
  ASSERT_TRUE(w.jobDone());
  const auto map = folder / "steady/walk_steady_map.1003.exr";
  ASSERT_TRUE(test::waitFor([&] { return std::filesystem::exists(map); }, 10000)) << w.notice().toStdString();
  EXPECT_EQ(image::readPicture(map, "raw").picture.display.width(), s.width);
  // As much as is asked for, by a key at the playhead; and in runs, within an enlargement.
  w.choose("hold", "turn the camera in still and even runs");
  EXPECT_EQ(w.shot().steady.hold, shot::Hold::L1Path);
  EXPECT_TRUE(test::waitFor([&] { return w.find<QLabel>("steadyNote")->text().contains("enlarged by"); }))
      << w.find<QLabel>("steadyNote")->text().toStdString();
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().steady.hold, shot::Hold::Place);
  // It is seen in the bar, and put down there from any station.
  EXPECT_TRUE(w.find<QPushButton>("asShot")->text().contains("steadied"));
  w.click("asShot");
  EXPECT_FALSE(w.session().view().steady);
  EXPECT_FALSE(w.find<QPushButton>("lookSteady")->isChecked());
}

TEST(SpotWindow, AMatteIsDrawnOnTheSteadiedPictureWhereThePlateShowsIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addNail(s);
  test::addPatch(s, 1002, 1004, 100, 60, 160, 110);
  s.mattes.clear(), s.elements[0].cover.clear();
  Window w(s, folder);
  w.station("Deliver");
  w.choose("hold", "hold the place of");
  w.click("lookSteady");
  w.session().setFrame(1001);
  ASSERT_TRUE(w.settle());
  const QPoint there = w.at(120, 80);
  w.session().setFrame(1004);
  ASSERT_TRUE(w.settle());
  ASSERT_GT((w.at(120, 80) - there).manhattanLength(), 10) << "the picture lies elsewhere than the plate does";
  w.station("Work");
  w.session().chooseElement("e1");
  w.session().setTool(app::Tool::Matte);
  ASSERT_TRUE(w.session().view().steady) << "the view stays as it is looked at";
  const std::vector<Vec2> corners = {{110, 70}, {150, 70}, {150, 100}, {110, 100}};
  for (size_t i = 0; i <= corners.size(); ++i) w.clickPicture(w.at(corners[i % 4].x(), corners[i % 4].y()));
  ASSERT_EQ(w.shot().mattes.size(), 1U) << w.notice().toStdString();
  const auto points = test::drawn(const_cast<shot::Shot&>(w.shot())).shapes.at(0).points.at(1004);
  ASSERT_EQ(points.size(), 4U);
  // On the wall, that the patch stands on: where each corner is seen, to half a pixel of the screen.
  comp::RenderCache cache(test::kBudget);
  const auto outlines = test::matteAt(w.shot(), w.shot().elements[0], 1004, w.shot().frameBox(), cache);
  for (const Vec2& inside : {Vec2(113, 73), Vec2(147, 73), Vec2(147, 97), Vec2(113, 97)})
    EXPECT_GT(outlines.pixel(static_cast<int>(inside.x()), static_cast<int>(inside.y()))[0], 0.95f);
  for (const Vec2& outside : {Vec2(106, 66), Vec2(154, 66), Vec2(154, 104), Vec2(106, 104)})
    EXPECT_LT(outlines.pixel(static_cast<int>(outside.x()), static_cast<int>(outside.y()))[0], 0.05f);
}

TEST(SpotWindow, AWallIsHeldEasedInByKeysAndEnlargedAsEachFrameNeeds) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9);
  Window w(s, folder);
  w.station("Deliver");
  w.choose("hold", "hold the plane of");
  EXPECT_EQ(w.shot().steady.surface, "s1") << "the one there is";
  EXPECT_TRUE(w.find<QLabel>("steadyNote")->text().contains("No camera can see this way"));
  w.choose("dynamicZoom", "by what each frame needs,");
  EXPECT_TRUE(w.shot().steady.dynamicZoom);
  // Not at all on the first frame, all of it on the last.
  w.session().setFrame(1001);
  w.type("strength", "0");
  w.keyMenu("strength", "Key here");
  w.session().setFrame(1009);
  w.type("strength", "100");
  ASSERT_TRUE(w.shot().steady.strength.keyed());
  EXPECT_EQ(w.shot().steady.strength.at(1001), 0);
  EXPECT_EQ(w.shot().steady.strength.at(1009), 1);
  EXPECT_GT(w.shot().steady.strength.at(1005), 0.1);
  w.click("lookSteady");
  ASSERT_TRUE(w.settle());
  // A place of the wall, as shot on the first frame but for the enlargement; as on the reference's on the last.
  const Vec3 nail(0.2, 1.6, 0);
  const auto seen = [&](int f) {
    w.session().setFrame(f);
    EXPECT_TRUE(w.settle());
    return w.window.cameraView().widgetToPlate(w.at(nail));
  };
  for (const int f : {1001, 1005, 1009}) {
    Vec2 straight, truth;
    ASSERT_TRUE(s.cameraAt(f).project(nail, straight));
    ASSERT_TRUE(s.lensAt(f).plateFromStraight(straight, truth));
    EXPECT_LT((seen(f) - truth).norm(), 0.6) << f << ": what is under the place is the plate's own there";
  }
  w.click("deliverSteady");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("9 frames"); })) << w.notice().toStdString();
  EXPECT_TRUE(shot::load(folder / "steady/walk_steady.zentil").camera->empty());
  // A surface that is gone is said, and undo brings it back.
  w.session().change("remove", [](shot::Shot& shot) { shot.surfaces.clear(); });
  EXPECT_TRUE(w.find<QLabel>("steadyNote")->text().contains("no plane"))
      << w.find<QLabel>("steadyNote")->text().toStdString();
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.find<QLabel>("steadyNote")->text().contains("enlarged by"));
}

TEST(SpotWindow, WhatWasHandedOnAndIsOlderIsSaid) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 5), folder);
  w.station("Deliver");
  EXPECT_FALSE(w.window.findChild<QLabel*>("exportNote")->isVisible());
  w.click("export");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("files are in"); })) << w.notice().toStdString();
  EXPECT_FALSE(w.window.findChild<QLabel*>("exportNote")->isVisible());
  w.session().change("solve", [](shot::Shot& s) {
    auto path = std::make_shared<camera::CameraPath>(*s.camera);
    path->poses.at(1003).position.x() += 0.01;
    s.camera = path;
  });
  EXPECT_TRUE(w.find<QLabel>("exportNote")->text().contains("the camera changed since"))
      << w.find<QLabel>("exportNote")->text().toStdString();
  w.click("export");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return !w.window.findChild<QLabel*>("exportNote")->isVisible(); }));
}

}  // namespace
}  // namespace zentil
