// The Lens station with mouse and keys: boards, ST maps, models and keys, maps and straight plates delivered.
#include "core/comp/cg_render.h"
#include "core/comp/layer.h"
#include "core/comp/undistort.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/lens/lens_library.h"
#include "core/lens/st_maps.h"
#include "core/output/deliver.h"
#include "core/output/lens_files.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

#include <QDialog>
#include <QListWidget>

using namespace zentil;
using test::waitFor;
using test::Window;

namespace {

const QString kBoards = "/usr/share/doc/opencv-doc/examples/data/";

}  // namespace

TEST(LensWindow, StMapsAreImportedLookedThroughAndWrittenAgain) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.name = "test";
  const auto truth = s.lensAt(1001);
  const Box box = evaluate::overscan(s, {true, 2});
  output::writeStMaps(test::stMapsOf(s, 1001, box, output::Origin::Bottom), folder.path(), "given");
  s.lens = {};
  Window w(s, folder);
  w.station("Lens");
  const auto path = [&](const char* name) { return QString::fromStdString((folder / name).string()); };
  w.window.loadStMaps({path("given_undistort.exr"), path("given_redistort.exr")});
  ASSERT_TRUE(waitFor([&] { return w.shot().lens.maps != nullptr; }));
  EXPECT_TRUE(w.find<QLabel>("lensReport")->text().contains("from the bottom"));
  Vec2 a, b;
  for (const Vec2& p : {Vec2(5, 5), Vec2(160, 90), Vec2(310, 20), Vec2(100, 175)}) {
    ASSERT_TRUE(truth.straightFromPlate(p, a) && w.shot().lensAt(1001).straightFromPlate(p, b));
    EXPECT_NEAR((a - b).norm(), 0, 0.01);
  }
  // Straight, the picture is as large as the map says; with lines over it.
  w.key(Qt::Key_L);
  w.key(Qt::Key_L, Qt::ShiftModifier);
  EXPECT_TRUE(w.session().view().grid);
  ASSERT_TRUE(w.settle());
  EXPECT_EQ(w.window.engine().latest(app::Layer::Built).image.size(), QSize(box.width(), box.height()));
  // Written again, they say the same.
  w.load({app::FileWish::For::LensFolder}, path("again"));
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  const auto back =
      lens::readStMaps({folder / "again/test_undistort.exr", folder / "again/test_redistort.exr"}, 320, 180);
  ASSERT_TRUE(back.maps->redistort.at({20, 170}, a));
  ASSERT_TRUE(w.shot().lensAt(1001).straightFromPlate({20, 170}, b));
  EXPECT_NEAR((a - b).norm(), 0, 1e-3);
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(shot::load(w.file) == w.shot());
  w.session().undo();
  EXPECT_TRUE(w.shot().lens.isStraight());
}

TEST(LensWindow, BadMapsAreRefusedInWordsAndNothingIsLost) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1);
  Window w(s, folder);
  w.station("Lens");
  image::WriteOptions o;
  o.half = false, o.colourSpace = "raw";
  image::writePicture(folder / "flat_redistort.exr", image::Picture(320, 180, 4, 0.5f), o);
  const auto before = w.shot();
  w.window.loadStMaps({QString::fromStdString((folder / "flat_redistort.exr").string())});
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("no ST map"); }));
  EXPECT_TRUE(w.shot() == before);
}

TEST(LensWindow, BoardsGiveACameraThatHadNone) {
  if (!QFile::exists(kBoards + "left01.jpg")) FAIL() << "opencv-doc is not there";
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1, 640, 480, 0);
  s.lens = {}, s.camera = std::make_shared<camera::CameraPath>();
  Window w(s, folder);
  w.station("Lens");
  QStringList files;
  for (const char* n : {"01", "02", "03", "04", "05", "06", "07"}) files << kBoards + "left" + n + ".jpg";
  w.window.engine().jobs().calibrate(files);
  EXPECT_TRUE(w.find("stopWork")->isVisible());
  ASSERT_TRUE(waitFor([&] { return w.shot().lens.k1 != 0; }, 60000));
  EXPECT_NEAR(w.shot().lensAt(1001).fx, 535.9, 8);
  EXPECT_NEAR(w.shot().lens.k1, -0.28, 0.03);
  const QString report = w.find<QLabel>("lensReport")->text();
  EXPECT_TRUE(report.contains("left07.jpg: ")) << report.toStdString();
  w.session().undo();
  EXPECT_TRUE(w.shot().camera->focalMm == 0 && w.shot().lens.isStraight());
}

TEST(LensWindow, StoppedInTheMiddleNothingChanges) {
  if (!QFile::exists(kBoards + "left01.jpg")) FAIL() << "opencv-doc is not there";
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 1, 640, 480), folder);
  w.station("Lens");
  QStringList files;
  for (int i = 0; i < 40; ++i) files << kBoards + "left01.jpg";
  const auto before = w.shot();
  w.window.engine().jobs().calibrate(files);
  w.click("stopWork");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  EXPECT_TRUE(w.shot() == before);
}

TEST(LensWindow, ModelSqueezeAndKeysAreWords) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 5), folder);
  w.station("Lens");
  w.choose("model", "division (strong barrel)");
  EXPECT_EQ(w.shot().lens.model, lens::Model::Division);
  w.type("squeeze", "1.5");
  EXPECT_EQ(w.shot().lens.squeeze, 1.5);
  w.type("squeezeCentrePx", "4");
  EXPECT_EQ(w.shot().lens.squeezeCentrePx, 4);
  w.type("squeeze", "99");
  EXPECT_EQ(w.shot().lens.squeeze, 1.5);
  EXPECT_TRUE(w.notice().contains("0.1"));
  w.choose("keyed", "changes over the shot.");
  ASSERT_EQ(w.shot().lens.keys.all().size(), 1U);
  w.key(Qt::Key_End);
  w.type("k1", "-0.2");
  ASSERT_EQ(w.shot().lens.keys.all().size(), 2U);
  EXPECT_NEAR(w.shot().lens.at(1003).k1, (-0.08 - 0.2) / 2, 1e-9);
  w.choose("keyHere", "none on this frame.");
  EXPECT_EQ(w.shot().lens.keys.all().size(), 1U);
  w.session().undo();
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(shot::load(w.file) == w.shot());
}

TEST(LensWindow, ALensComesFromTheDatabase) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1);
  s.lens = {};
  auto body = std::make_shared<camera::CameraPath>();
  const auto known = lens::searchLibrary("").front();
  body->backWidthMm = 36 / known.crop, body->backHeightMm = 20.25 / known.crop, body->focalMm = known.shortestMm;
  s.camera = body;
  Window w(s, folder);
  w.station("Lens");
  // The dialog holds the window's loop: answered from inside.
  QTimer::singleShot(400, [&] {
    auto* dialog = w.window.findChild<QDialog*>("lensLibrary");
    ASSERT_TRUE(dialog);
    auto* text = dialog->findChild<QLineEdit*>("lensLibraryText");
    QTest::keyClicks(text, "no such thing");
    auto* list = dialog->findChild<QListWidget*>("lensLibraryList");
    EXPECT_EQ(list->count(), 0);
    text->setText(QString::fromStdString(known.name));
    ASSERT_GE(list->count(), 1);
    list->setCurrentRow(0);
    QTest::keyClick(list, Qt::Key_Return);
  });
  w.click("loadLensLibrary");
  EXPECT_TRUE(QTest::qWaitFor([&] { return w.shot().lens.source.find("database") != std::string::npos; }, 10000))
      << w.notice().toStdString();
}

TEST(LensWindow, TheFilmBackIsChosenByItsFormat) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1);
  s.camera = std::make_shared<camera::CameraPath>();
  Window w(s, folder);
  w.station("Camera");
  w.choose("filmBack", "full frame");
  EXPECT_EQ(w.shot().camera->backWidthMm, 36);
  EXPECT_EQ(w.shot().camera->backHeightMm, 24);
  w.type("focalMm", "50");
  EXPECT_NEAR(w.shot().lensAt(1001).fx, 50.0 / 36 * 320, 1e-9);
  w.type("backWidthMm", "-3");
  EXPECT_EQ(w.shot().camera->backWidthMm, 36);
}

TEST(LensWindow, AStraightPlateGoesOutIsPaintedAndComesBack) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.name = "test";
  test::addPatch(s, 1001, 1001, 60, 40, 260, 140);
  Window w(s, folder);
  w.station("Lens");
  w.load({app::FileWish::For::StraightFolder}, QString::fromStdString((folder / "straight").string()));
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  const auto file = folder / "straight/test_straight.1001.exr";
  ASSERT_TRUE(std::filesystem::exists(file)) << w.notice().toStdString();
  auto painted = image::readPicture(file).picture;
  for (int y = 80; y < 100; ++y)
    for (int x = 150; x < 170; ++x) std::fill_n(painted.pixel(x, y), 3, 0.9f);
  image::writePicture(folder / "painted.exr", painted, {});
  w.station("Work");
  w.session().chooseElement("e1");
  w.load({app::FileWish::For::CleanPicture}, QString::fromStdString((folder / "painted.exr").string()));
  EXPECT_FALSE(w.shot().elements[0].from<element::Patch>()->picture.empty()) << w.notice().toStdString();
  // Deliver the comp.
  w.session().change("deliver here", [&](shot::Shot& x) { x.delivery.pattern = (folder / "out/a.####.exr").string(); });
  w.station("Deliver");
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return std::filesystem::exists(folder / "out/a.1003.exr"); }));
  // A picture of neither size changes nothing and says why.
  image::writePicture(folder / "wrong.exr", image::Picture(100, 60, 4, 0.5f), {});
  const auto before = w.shot();
  w.load({app::FileWish::For::CleanPicture}, QString::fromStdString((folder / "wrong.exr").string()));
  EXPECT_TRUE(w.shot() == before);
  EXPECT_TRUE(w.notice().contains("straight")) << w.notice().toStdString();
}
