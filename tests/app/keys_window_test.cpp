// Keys, plates and parts of mattes in the window, with mouse and keys.
#include <QMenu>

#include "app/strip/strip.h"
#include "core/edit/keys.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/in_time.h"
#include "tests/support/making.h"

using namespace zentil;
using test::Window;

TEST(KeysWindow, AFadeIsKeyedMovedCopiedTakenAwayAndUndone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 640, 360);
  s.name = "test";
  test::addPatch(s, 1005, 1003, 200, 100, 420, 260);
  Window w(s, folder);
  w.station("Work");
  w.session().chooseElement("e1");
  w.click("more");
  w.keyMenu("opacity", "Key here");
  w.session().setFrame(1005);
  w.type("opacity", "40");
  const auto& opacity = [&]() -> const value::Value<double>& { return w.shot().elements[0].look.opacity; };
  ASSERT_EQ(opacity().keys().all().size(), 2U) << w.notice().toStdString();
  EXPECT_DOUBLE_EQ(opacity().at(1003), 0.7);
  w.keyMenu("opacity", "Eased to the next key");
  // On the strip: dragged it moves, with Ctrl it is copied, Delete takes it away.
  auto* strip = static_cast<app::Strip*>(w.find("strip"));
  const auto at = [&](int f) { return QPoint(int(std::lround(strip->xOf(f))), int(strip->yOfKeys())); };
  QTest::qWait(150);  // the strip lays keys out a moment after an edit
  w.drag(strip, at(1005), at(1007));
  EXPECT_TRUE(opacity().keys().has(1007) && !opacity().keys().has(1005));
  EXPECT_EQ(w.session().frame(), 1007);
  w.drag(strip, at(1001), at(1009), 8, Qt::ControlModifier);
  EXPECT_TRUE(opacity().keys().has(1001) && opacity().keys().has(1009));
  QTest::mouseClick(strip, Qt::LeftButton, Qt::NoModifier, at(1009));
  QTest::keyClick(strip, Qt::Key_Delete);
  EXPECT_FALSE(opacity().keys().has(1009));
  // From key to key.
  w.session().setFrame(1003);
  w.key(Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(w.session().frame(), 1007);
  w.key(Qt::Key_Left, Qt::ControlModifier);
  EXPECT_EQ(w.session().frame(), 1001);
  for (int i = 0; i < 20 && w.session().history().canUndo(); ++i) w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(opacity().keyed());
}

TEST(KeysWindow, ASecondPlateIsAddedAndWorkedOnByOneWord) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  s.name = "test";
  for (int f = 1001; f <= 1003; ++f) {
    auto p = image::readFrame(s.plate(), f).picture;
    for (float& v : p.values) v *= 0.5f;
    std::filesystem::create_directories(folder / "graded");
    image::writePicture(folder / fmt::format("graded/g.{}.exr", f), p, {});
  }
  Window w(s, folder);
  w.station("Plate");
  w.load({app::FileWish::For::AnotherPlate}, QString::fromStdString((folder / "graded/g.1001.exr").string()));
  ASSERT_EQ(w.shot().plates.size(), 2U) << w.notice().toStdString();
  w.choose("workingPlate", QString::fromStdString(w.shot().plates[1].name));
  EXPECT_EQ(w.shot().worked().id, w.shot().plates[1].id);
  ASSERT_TRUE(w.settle());
  float rgba[4];
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().valueAt(w.session().frame(), {100, 100}, rgba); }));
  EXPECT_NEAR(rgba[0],
              w.window.engine().cache().frame(w.shot().plates[0].files, 1001)->picture.pixel(100, 100)[0] * 0.5f, 2e-3);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().plates.size(), 1U);
}

TEST(KeysWindow, AMattesPartIsAddedDrawnAndSetToTakeAway) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  s.name = "test";
  test::addPatch(s, 1003, 1001, 200, 100, 420, 260);
  Window w(s, folder);
  w.station("Work");
  w.session().chooseElement("e1");
  w.click("addPart");
  EXPECT_EQ(w.session().tool(), app::Tool::Matte);
  for (const QPoint& p : {w.at(260, 140), w.at(360, 140), w.at(360, 220), w.at(260, 220), w.at(260, 140)})
    w.clickPicture(p);
  ASSERT_EQ(w.shot().mattes[0].parts.size(), 2U);
  EXPECT_EQ(std::get<matte::RotoShapes>(w.shot().mattes[0].parts[1].content).shapes.size(), 1U);
  w.choose("combine", "Take away");
  // The first row's word was chosen: its part now takes away, the second adds.
  EXPECT_EQ(w.shot().mattes[0].parts[0].combine, matte::Combine::Subtract);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().mattes[0].parts[0].combine, matte::Combine::Add);
}

TEST(KeysWindow, MattePicturesAreLoadedIntoAPatchAndUndone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 60, 40, 240, 140);
  s.mattes.clear(), s.elements[0].cover.clear();
  for (int f = 1001; f <= 1003; ++f) {
    image::Picture matte(320, 180, 4, 0.0f);
    for (int y = 60; y < 100; ++y)
      for (int x = 100; x < 150; ++x) std::fill_n(matte.pixel(x, y), 4, 1.0f);
    image::WriteOptions o;
    o.alpha = true;
    image::writePicture(folder / fmt::format("roto.{}.exr", f), matte, o);
  }
  Window w(s, folder);
  w.station("Work");
  w.session().chooseElement("e1");
  test::answerDialog((folder / "roto.1001.exr").string());
  w.click("mattePictures");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().mattes.size() == 1; }, 10000)) << w.notice().toStdString();
  EXPECT_TRUE(std::holds_alternative<matte::ImageMatte>(w.shot().mattes[0].parts[0].content));
  // The patch shows within the pictures' white alone.
  comp::RenderCache cache(test::kBudget);
  const auto layer = test::buildLayer(w.shot(), w.shot().elements[0], 1002, cache, map::Filter::Sharp);
  EXPECT_GT(layer.pixel(125, 80)[3], 0.99f);
  EXPECT_TRUE(!layer.data.contains(80, 80) || layer.pixel(80, 80)[3] < 0.01f);
  w.session().undo();
  EXPECT_TRUE(w.shot().mattes.empty());
}

TEST(KeysWindow, AFileThatChangesOnDiskIsFollowedWithinTwoSeconds) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  s.name = "test";
  Window w(s, folder);
  ASSERT_TRUE(w.settle());
  float rgba[4];
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().valueAt(1001, {100, 100}, rgba); }));
  float before = rgba[0];
  test::expectInTime([&] {
    auto p = image::readFrame(s.plate(), 1001).picture;
    for (float& v : p.values) v *= 0.5f;
    image::writePicture(s.plate().fileOf(1001), p, {});
    QElapsedTimer clock;
    clock.start();
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
          return w.window.engine().valueAt(1001, {100, 100}, rgba) && std::abs(rgba[0] - before / 2) < 2e-3f;
        },
        20000));
    before /= 2;
    std::printf("followed after %lld ms\n", static_cast<long long>(clock.elapsed()));
    return clock.elapsed() < 2000;
  });
}
