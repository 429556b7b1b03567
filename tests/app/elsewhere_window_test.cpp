// Choices of handing on, kept by name and drawn; a crop drawn on the steadied picture; edges filled; a move used on
// another shot, on one picture, and without a plate.
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <filesystem>

#include "app/widgets/export_picture.h"
#include "core/edit/element_kinds.h"
#include "core/edit/move.h"
#include "core/edit/new_shot.h"
#include "core/exchange/export_choices.h"
#include "core/image/write.h"
#include "core/wording/recipe.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

TEST(ElsewhereWindow, ChoicesOfHandingOnAreDrawnChosenAndKeptForAllShots) {
  const test::Folder folder;
  qputenv("XDG_CONFIG_HOME", QByteArray::fromStdString((folder / "settings").string()));
  Window w(test::walkAlongWall(folder), folder);
  w.station("Deliver");
  EXPECT_FALSE(w.window.findChild<QLineEdit*>("keepExportAs")->isVisible()) << "these have a name";
  w.choose("as", "Z up, centimetres, left hand");
  EXPECT_EQ(w.shot().exportSettings.hand, shot::Handedness::Left);
  EXPECT_EQ(w.shot().exportSettings.unitsPerM, 100);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().exportSettings, shot::ExportSettings{});
  // The drawings are clicked through.
  auto* picture = w.find<app::ExportPicture>("exportPicture");
  const auto part = [&](int i) { return QPoint(picture->width() * (2 * i + 1) / 8, 40); };
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, part(0));
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, part(0));
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, part(2));
  QTest::mouseClick(picture, Qt::LeftButton, Qt::NoModifier, part(3));
  EXPECT_EQ(w.shot().exportSettings.up, shot::UpAxis::Z);
  EXPECT_EQ(w.shot().exportSettings.hand, shot::Handedness::Right);
  EXPECT_EQ(w.shot().exportSettings.frameOffset, -1000) << "from 1 on";
  EXPECT_EQ(w.shot().exportSettings.from, shot::FromEdge::Bottom);
  auto* line = w.find<QLineEdit>("keepExportAs");
  QTest::keyClicks(line, "the layout house");
  QTest::keyClick(line, Qt::Key_Return);
  EXPECT_TRUE(w.notice().contains("for all shots")) << w.notice().toStdString();
  const auto kept = exchange::exportChoices();
  ASSERT_TRUE(kept.count("the layout house"));
  EXPECT_EQ(kept.at("the layout house").frameOffset, -1000);
  w.choose("as", "Y up, metres");
  EXPECT_EQ(w.shot().exportSettings.frameOffset, 0);
  w.choose("as", "the layout house");
  EXPECT_EQ(w.shot().exportSettings.frameOffset, -1000);
  // A version in the folder needs one in the shot's name.
  w.click("word:folder");
  auto* folderLine = w.find<QLineEdit>("wordEdit");
  folderLine->setText("export/{shot}_v{version}");
  QTest::keyClick(folderLine, Qt::Key_Return);
  w.click("export");
  EXPECT_TRUE(w.notice().contains("has none")) << w.notice().toStdString();
  EXPECT_TRUE(w.session().saveTo(QString::fromStdString((folder / "walk_v012.zentil").string())));
  w.click("export");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("files are in"); })) << w.notice().toStdString();
  EXPECT_TRUE(std::filesystem::exists(folder / "export/walk_v012/walk_camera.gltf"));
  qunsetenv("XDG_CONFIG_HOME");
}

TEST(ElsewhereWindow, ACropIsDrawnAndMendedOnTheSteadiedPictureAndEdgesAreFilled) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addNail(s);
  Window w(s, folder);
  w.station("Deliver");
  EXPECT_FALSE(w.find<QPushButton>("cropSteady")->isEnabled()) << "nothing is steadied yet";
  w.choose("hold", "hold the place of");
  w.choose("enlarged", "not enlarged");
  w.choose("filled", "filled beyond the plate,");
  EXPECT_TRUE(w.shot().steady.fills());
  w.click("cropSteady");
  EXPECT_EQ(w.session().tool(), app::Tool::Crop);
  EXPECT_TRUE(w.session().view().steady);
  ASSERT_TRUE(w.settle());
  auto* view = &w.window.cameraView();
  // Where a pixel of the steadied picture is on the screen: by a look's own way to the plate.
  const auto at = [&](double x, double y) {
    Vec2 plate;
    EXPECT_TRUE(steady::toPlate(w.shot(), steady::pathOf(w.shot()), w.session().frame(), {x, y}, plate));
    return view->plateToWidget(plate).toPoint();
  };
  w.drag(view, at(40, 30), at(42, 31));
  EXPECT_TRUE(w.notice().contains("too small")) << w.notice().toStdString();
  w.drag(view, at(40, 30), at(280, 150));
  const Box drawn = shot::cropOf(w.shot().steady, w.shot().width, w.shot().height);
  EXPECT_NEAR(drawn.x0, 40, 1);
  EXPECT_NEAR(drawn.y0, 30, 1);
  EXPECT_NEAR(drawn.x1, 280, 1);
  EXPECT_NEAR(drawn.y1, 150, 1);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick) << "drawn once, it is put down";
  w.drag(view, at(drawn.x1, drawn.y1), at(240, 140));
  const Box mended = shot::cropOf(w.shot().steady, w.shot().width, w.shot().height);
  EXPECT_NEAR(mended.x1, 240, 1);
  EXPECT_NEAR(mended.y1, 140, 1);
  EXPECT_EQ(mended.x0, drawn.x0);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(shot::cropOf(w.shot().steady, w.shot().width, w.shot().height), drawn);
  w.click("deliverSteady");
  ASSERT_TRUE(w.jobDone());
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("5 frames"); })) << w.notice().toStdString();
  const auto made = shot::load(folder / "steady/walk_steady.zentil");
  EXPECT_EQ(made.width, drawn.width());
  EXPECT_EQ(made.height, drawn.height());
  w.click("cropSteady");
  EXPECT_EQ(shot::cropOf(w.shot().steady, w.shot().width, w.shot().height), w.shot().frameBox()) << "whole again";
}

TEST(ElsewhereWindow, AMoveIsUsedOnOnePictureSlowedEasedAndDelivered) {
  const test::Folder folder, there;
  const auto walk = test::walkAlongWall(folder, 9);
  shot::save(walk, folder / "walk.zentil");
  // A picture by itself.
  image::Picture card(96, 54, 4, 0.5f);
  image::writePicture(there / "card.png", card, {});
  Window w(edit::newShot({(there / "card.png").string(), {}, {}, {}, 24}), there);
  w.station("Plate");
  w.type("held", "40");
  EXPECT_EQ(w.shot().range, (FrameRange{1001, 1040}));
  w.station("Camera");
  // By the button and its dialog.
  test::answerDialog((folder / "walk.zentil").string());
  w.click("takeMove");
  ASSERT_TRUE(shot::usesMove(w.shot())) << w.notice().toStdString();
  EXPECT_EQ(w.shot().camera->poses.size(), 40U);
  EXPECT_EQ(w.shot().camera->poses.at(1009).position, walk.camera->poses.at(1009).position);
  w.type("speed", "50");
  w.type("easeIn", "4");
  const auto& poses = w.shot().camera->poses;
  EXPECT_LT((poses.at(1002).position - poses.at(1001).position).norm(),
            0.2 * (poses.at(1010).position - poses.at(1009).position).norm())
      << "it comes to its speed";
  EXPECT_EQ(poses.at(1030).position, walk.camera->poses.at(1009).position) << "at its end it stands";
  const auto before = w.shot();
  w.type("part.last", "900");
  EXPECT_EQ(w.shot(), before) << "frames that the move has not are refused";
  EXPECT_TRUE(w.notice().contains("no pose")) << w.notice().toStdString();
  // A checker on the wall, alone, by this move.
  w.session().change("a wall", [&](shot::Shot& t) { t.surfaces = walk.surfaces; });
  w.session().change("a checker", [&](shot::Shot& t) {
    auto e = edit::freshElement(t, "checker", "s1", 1001);
    e.id = "e1";
    t.elements.push_back(e);
    t.delivery.pattern = (there / "out/card.####.exr").string();
  });
  w.station("Deliver");
  w.choose("overPlate", "alone, on nothing,");
  w.click("deliver");
  ASSERT_TRUE(test::waitFor([&] { return std::filesystem::exists(there / "out/card.1040.exr"); }, 60000));
  const auto frame = image::readPicture(there / "out/card.1001.exr");
  EXPECT_TRUE(frame.hasAlpha);
  w.choose("ending", "JPEG");
  w.click("deliver");
  EXPECT_TRUE(test::waitFor([&] { return w.notice().contains("no alpha"); })) << w.notice().toStdString();
}

TEST(ElsewhereWindow, AShotBeginsWithoutAPlate) {
  const test::Folder folder;
  app::MainWindow window(size_t{1} << 28);
  Window w(window);
  window.resize(1280, 800);
  window.show();
  w.station("Plate");
  test::answerDialog(folder.path().string());
  w.click("blankShot");
  ASSERT_TRUE(w.shot().hasPlate()) << w.notice().toStdString();
  EXPECT_EQ(w.shot().width, 1920);
  EXPECT_EQ(w.shot().range, (FrameRange{1001, 1100}));
  EXPECT_FALSE(w.shot().delivery.overPlate);
  EXPECT_EQ(image::readPicture(w.shot().plate().fileOf(1050)).picture.pixel(5, 5)[3], 0);
}

TEST(ElsewhereWindow, ACylinderIsPutThroughChosenPointsAndSaysHowWellTheyLie) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  auto points = std::make_shared<std::vector<set::Point>>();
  for (int i = 0; i < 60; ++i) {
    const double a = -1.2 + 0.04 * i;
    points->push_back({Vec3(0.3 * std::sin(a), 1 + 0.017 * (i * 7 % 60), 0.5 + 0.3 * std::cos(a)), 0.1, 5, i});
  }
  s.points = points;
  Window w(s, folder);
  w.station("Set");
  std::set<int> all;
  for (int i = 0; i < 60; ++i) all.insert(i);
  w.session().choosePoints(all);
  const size_t before = w.shot().surfaces.size();
  w.click("add:cylinder");
  ASSERT_EQ(w.shot().surfaces.size(), before + 1) << w.notice().toStdString();
  EXPECT_NEAR(w.shot().surfaces.back().size.constant().x(), 0.6, 1e-4);
  EXPECT_TRUE(w.notice().contains("Radius 0.300 m")) << w.notice().toStdString();
  w.key(Qt::Key_Z, Qt::ControlModifier);
  // A few are enough for a body around them; what is flat tells no radius, and nothing is made.
  w.session().change("flat", [](shot::Shot& t) {
    auto flat = std::make_shared<std::vector<set::Point>>();
    for (int i = 0; i < 60; ++i) flat->push_back({Vec3(0.02 * i, 1 + 0.017 * (i * 7 % 60), 0), 0.1, 5, i});
    t.points = flat;
  });
  w.session().choosePoints(all);
  w.click("add:cylinder");
  EXPECT_EQ(w.shot().surfaces.size(), before);
  EXPECT_TRUE(w.notice().contains("no radius") || w.notice().contains("round")) << w.notice().toStdString();
  w.session().choosePoints({1, 2, 3});
  w.click("add:cylinder");
  EXPECT_EQ(w.shot().surfaces.size(), before + 1);
}

}  // namespace
}  // namespace zentil
