// A real window, driven by mouse and keys.
#include "tests/app/window.h"

#include <algorithm>

#include "core/image/write.h"

using namespace zentil;
using test::Window;

namespace {
/// The points of the first shape of the first matte.
matte::ShapePoints drawnPoints(const shot::Shot& s) {
  return std::get<matte::RotoShapes>(s.mattes.at(0).parts.at(0).content).shapes.at(0).points.constant();
}
}  // namespace

TEST(Window, TheWholePathFromAPlaneToADeliveredPatchAndBack) {
  const test::Folder folder;
  auto bare = test::demoShot(folder);
  bare.surfaces.clear(), bare.mattes.clear(), bare.elements.clear();
  bare.range = {1001, 1024};
  Window w(bare, folder);
  const shot::Shot start = w.shot();
  auto* view = &w.window.cameraView();

  // Choose points of the wall with a lasso, and one more with Shift.
  w.station("Set");
  w.session().setFrame(1020);
  const QPoint a = w.at(Vec3(-0.75, 2.85, 0)), b = w.at(Vec3(1.0, 1.3, 0));
  QTest::mousePress(view, Qt::LeftButton, Qt::AltModifier, a);
  for (const QPoint& p : {QPoint(b.x(), a.y()), b, QPoint(a.x(), b.y()), a}) Window::moveHeld(view, p, Qt::AltModifier);
  QTest::mouseRelease(view, Qt::LeftButton, Qt::AltModifier, a);
  const size_t lassoed = w.session().points().size();
  EXPECT_GE(lassoed, 6u);
  w.clickPicture(w.at((*start.points)[0].at), Qt::ShiftModifier);
  EXPECT_EQ(w.session().points().size(), lassoed + 1);

  // Without points the tile shows how a plane would lie.
  const auto chosen = w.session().points();
  w.session().choosePoints({});
  w.key(Qt::Key_A);
  EXPECT_EQ(w.session().tool(), app::Tool::Tile);
  w.clickPicture(w.at(Vec3(0.3, 1.8, 0)));
  ASSERT_EQ(w.shot().surfaces.size(), 1u);
  EXPECT_GT(std::abs(w.shot().surfaces[0].at(1001).normal().z()), 0.999);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  // On points it is there at once; stretched by numbers, moved by its handles and back.
  w.session().choosePoints(chosen);
  w.key(Qt::Key_A);
  ASSERT_EQ(w.shot().surfaces.size(), 1u);
  EXPECT_GT(std::abs(w.shot().surfaces[0].at(1001).normal().z()), 0.99999);
  EXPECT_NEAR(w.shot().surfaces[0].position.constant().z(), 0, 1e-4);
  w.type("size.x", "6.6");
  w.type("size.y", "3");
  EXPECT_DOUBLE_EQ(w.shot().surfaces[0].size.constant().x(), 6.6);
  const Vec3 before = w.shot().surfaces[0].position.constant();
  const QPoint centre = w.at(before);
  w.drag(view, centre, centre + QPoint(30, 0));
  EXPECT_GT(w.shot().surfaces[0].position.constant().x(), before.x() + 0.1);
  EXPECT_NEAR(w.shot().surfaces[0].position.constant().z(), 0, 1e-4);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot().surfaces[0].position == before) << "a drag is one step";

  // A checker on it.
  w.station("Work");
  w.click("addChecker");
  ASSERT_EQ(w.shot().elements.size(), 1u);
  w.choose("lines", "a grid");
  EXPECT_TRUE(w.shot().elements[0].from<element::Checker>()->lines);
  ASSERT_TRUE(w.settle());

  // A patch, its matte drawn around the stand, its source found by scrubbing.
  w.click("addPatch");
  ASSERT_EQ(w.shot().elements.size(), 2u);
  EXPECT_EQ(w.shot().elements[1].from<element::Patch>()->frame, 1020);
  w.click("drawMatte");
  for (const Vec3& p : {Vec3(0.0, 2.5, 2), Vec3(0.5, 2.5, 2), Vec3(0.5, 1.0, 2), Vec3(0.0, 1.0, 2)})
    w.clickPicture(w.at(p));
  w.clickPicture(w.at(Vec3(0.0, 2.5, 2)));
  ASSERT_EQ(w.shot().mattes.size(), 1u);
  EXPECT_EQ(drawnPoints(w.shot()).size(), 4u);
  EXPECT_EQ(w.shot().elements[1].matte(), w.shot().mattes[0].id);
  w.type("softPx", "20");
  EXPECT_DOUBLE_EQ(w.shot().mattes[0].parts[0].softPx.constant(), 20);
  auto* strip = w.find("strip");
  auto* s = static_cast<app::Strip*>(strip);
  w.drag(strip, QPoint(int(s->xOf(1020)), 60), QPoint(int(s->xOf(1001)), 60));
  EXPECT_EQ(w.session().frame(), 1001);
  w.key(Qt::Key_U);
  EXPECT_EQ(w.shot().elements[1].from<element::Patch>()->frame, 1001);

  // Drag a point of the matte.
  const Vec2 corner = drawnPoints(w.shot())[1].at;
  w.session().setFrame(1020);
  const QPoint grip = w.at(corner.x(), corner.y());
  w.drag(view, grip, grip + QPoint(12, -6));
  EXPECT_GT(drawnPoints(w.shot())[1].at.x(), corner.x() + 4);

  // Wipe, and its line; difference; back.
  w.key(Qt::Key_B);
  EXPECT_EQ(w.session().view().compare, app::Compare::Wipe);
  w.drag(view, QPoint(view->width() / 2, 200), QPoint(view->width() / 4, 200));
  EXPECT_NEAR(w.window.cameraView().wipeAt(), 0.25, 0.01);
  w.key(Qt::Key_X);
  EXPECT_EQ(w.session().view().compare, app::Compare::Difference);
  w.key(Qt::Key_X);
  w.key(Qt::Key_L);
  EXPECT_TRUE(w.session().view().straight);
  ASSERT_TRUE(w.settle());
  w.key(Qt::Key_L);

  // Undo everything to the start, and redo.
  const shot::Shot end = w.shot();
  while (w.session().history().canUndo()) w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot() == start);
  while (w.session().history().canRedo()) w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_TRUE(w.shot() == end);

  // Save and reopen: equal.
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_FALSE(w.session().isModified());
  w.openAgain();
  EXPECT_TRUE(w.shot() == end);

  // Deliver, stop, resume.
  w.station("Deliver");
  w.click("deliver");
  const auto delivered = [&] {
    int n = 0;
    std::error_code ec;
    for (const auto& e : std::filesystem::directory_iterator(folder / "deliver", ec))
      n += !e.path().filename().string().starts_with(".");
    return n;
  };
  ASSERT_TRUE(QTest::qWaitFor([&] { return delivered() >= 3; }, 60000));
  w.click("stopDelivery");
  ASSERT_TRUE(QTest::qWaitFor([&] { return !w.window.engine().delivery().running(); }, 20000));
  const int stoppedAt = delivered();
  EXPECT_LT(stoppedAt, 24);
  w.click("deliver");
  ASSERT_TRUE(QTest::qWaitFor([&] { return !w.window.engine().delivery().running(); }, 120000));
  EXPECT_EQ(delivered(), 24);
  EXPECT_TRUE(w.notice().contains(QString::number(stoppedAt) + " were up to date")) << w.notice().toStdString();
}

TEST(Window, LinesAreDrawnAndTheLensSolvedFromThem) {
  const test::Folder folder;
  auto s = test::demoShot(folder);
  const lens::Lens truth = s.lens;
  s.lens = {};
  s.elements.clear();
  Window w(s, folder);
  // A click lands on a whole pixel of the window, which is about one of the plate's.
  w.window.resize(1680, 1050);
  w.station("Lens");
  ASSERT_TRUE(w.settle(60000));
  auto* view = &w.window.cameraView();
  // Along plank edges, eaves and posts, as the truth camera sees them: a hand would click there.
  const std::pair<Vec3, Vec3> edges[] = {{{-3.1, 2.95, 0}, {3.2, 2.95, 0}},
                                         {{-3.1, 0.05, 0}, {3.1, 0.05, 0}},
                                         {{-3.2, 0.1, 0}, {-3.2, 3.0, 0}},
                                         {{3.2, 0.1, 0}, {3.2, 3.0, 0}},
                                         {{-3, 1.8, 0}, {3, 1.8, 0}}};
  const auto camera = s.cameraAt(1001);
  const lens::LensOnPixels bent(truth, camera.fx, camera.fy, camera.cx, camera.cy);
  for (const auto& [a, b] : edges) {
    w.click("drawLine");
    for (int k = 0; k <= 8; ++k) {
      Vec2 q, p;
      ASSERT_TRUE(camera.project(a + (b - a) * (k / 8.0), q) && bent.plateFromStraight(q, p));
      QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, w.at(p.x(), p.y()));
      QTest::qWait(450);  // slower than a double click
    }
    QTest::keyClick(view, Qt::Key_Return);
    w.session().setTool(app::Tool::Pick);
  }
  ASSERT_EQ(w.shot().lines.size(), 5U);
  const auto before = lens::bowOf(w.shot().lines[0], w.shot().lensAt(1001));
  EXPECT_GT(before.px, 1);
  w.click("solveLens");
  EXPECT_NEAR(w.shot().lens.k1, truth.k1, 0.03);
  EXPECT_LT(lens::bowOf(w.shot().lines[0], w.shot().lensAt(1001)).px, before.px / 2);
  EXPECT_TRUE(w.find<QLabel>("lensAnswer")->text().contains("k1"));
  w.key(Qt::Key_L);
  EXPECT_TRUE(w.session().view().straight);
  const auto kept = w.shot();
  w.session().undo();
  EXPECT_TRUE(w.shot().lens.isStraight());
  w.session().redo();
  EXPECT_TRUE(w.shot() == kept);
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(shot::load(w.file) == w.shot());
}
TEST(Window, CgIsAddedWarnedOfAndMended) {
  const test::Folder folder;
  auto s = test::demoShot(folder);
  std::erase_if(s.elements, [](const auto& e) { return e.template from<element::Cg>() != nullptr; });
  s.elements.clear();
  s.range = {1030, 1033};
  Window w(s, folder);
  w.station("Work");
  // A render somebody made at the plate's size: the same buoy, cut at the frame.
  std::filesystem::create_directories(folder / "cut");
  for (int f = 1030; f <= 1033; ++f) {
    const auto whole = image::readPicture(test::kDemo + fmt::format("/cg/buoy.{}.exr", f)).picture;
    image::Picture part(1280, 720, 4);
    for (int y = 0; y < 720; ++y)
      for (int x = 0; x < 1280; ++x)
        if (whole.data.contains(x + 40, y + 24)) std::copy_n(whole.pixel(x + 40, y + 24), 4, part.pixel(x, y));
    image::WriteOptions options;
    options.alpha = true;
    image::writePicture(folder / fmt::format("cut/cut.{}.exr", f), part, options);
  }
  w.load({app::FileWish::For::NewElement, "cg"}, QString::fromStdString((folder / "cut/cut.1030.exr").string()));
  ASSERT_EQ(w.shot().elements.size(), 1U);
  ASSERT_NE(w.shot().elements[0].from<element::Cg>(), nullptr);
  EXPECT_TRUE(w.shot().elements[0].from<element::Cg>()->premultiplied);
  ASSERT_TRUE(w.settle());
  EXPECT_TRUE(test::waitFor([&] {
    return w.find<QLabel>("cgWarning")->text().contains("bottom edge, frames 1030-1033");
  })) << w.find<QLabel>("cgWarning")->text().toStdString();
  // The render with overscan takes its place.
  w.load({app::FileWish::For::SourceFiles}, QString(ZENTIL_DEMO) + "/cg/buoy.1001.exr");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  ASSERT_TRUE(w.settle());
  EXPECT_TRUE(test::waitFor(
      [&] { return w.window.engine().meter().warningOf(QString::fromStdString(w.shot().elements[0].id)).isEmpty(); }));
  w.session().undo(), w.session().undo();
  EXPECT_TRUE(w.shot().elements.empty());
}
TEST(Window, NewFromDroppedFiles) {
  const test::Folder folder;
  app::MainWindow window(size_t{1} << 29);
  window.resize(1280, 800);
  window.show();
  ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
  QMimeData files;
  const QString demo = ZENTIL_DEMO;
  files.setUrls({QUrl::fromLocalFile(demo + "/plate/boathouse.1010.exr"), QUrl::fromLocalFile(demo + "/camera.csv"),
                 QUrl::fromLocalFile(demo + "/lens.json"), QUrl::fromLocalFile(demo + "/points.ply")});
  QDragEnterEvent enter(QPoint(600, 300), Qt::CopyAction, &files, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &enter);
  QDropEvent drop(QPointF(600, 300), Qt::CopyAction, &files, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &drop);
  ASSERT_TRUE(test::waitFor([&] { return !window.engine().jobs().reads(); }));
  const auto& s = window.session().shot();
  EXPECT_EQ(s.range, (FrameRange{1001, 1072}));
  EXPECT_EQ(s.camera->poses.size(), 72u);
  EXPECT_DOUBLE_EQ(s.lens.k1, -0.1);
  EXPECT_EQ(s.points->size(), 175u);
  EXPECT_TRUE(window.engine().settle(30000));
  EXPECT_FALSE(window.engine().latest(app::Layer::Built).image.isNull());
}

TEST(Window, BadFilesAreToldAndNothingIsLost) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  const shot::Shot before = w.shot();
  QFile bad(QString::fromStdString((folder / "bad.csv").string()));
  ASSERT_TRUE(bad.open(QIODevice::WriteOnly));
  bad.write("frame,x,y,z\n1,2");
  bad.close();
  w.drop({bad.fileName()});
  EXPECT_TRUE(w.notice().contains("bad.csv")) << w.notice().toStdString();
  QFile cut(QString::fromStdString((folder / "cut.zentil").string()));
  ASSERT_TRUE(cut.open(QIODevice::WriteOnly));
  cut.write("{\"type\":\"zentil-shot\",");
  cut.close();
  w.drop({cut.fileName()});
  EXPECT_TRUE(w.notice().contains("cut.zentil"));
  EXPECT_TRUE(w.shot() == before);
}

TEST(Window, AFrameThatCannotBeReadIsNamedAndTheOthersPlayOn) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  std::filesystem::resize_file(s.plate().fileOf(1002), 800);
  Window w(s, folder);
  ASSERT_TRUE(w.settle());
  w.key(Qt::Key_Right);
  ASSERT_TRUE(w.settle());
  EXPECT_TRUE(w.notice().contains("Frame 1002")) << w.notice().toStdString();
  w.key(Qt::Key_Right);
  ASSERT_TRUE(w.settle());
  w.window.cameraView().repaint();
  EXPECT_TRUE(w.window.cameraView().upToDate());
}

TEST(Window, WordsAreReachedAndChangedByKeyboard) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  w.station("Work");
  auto* feather = w.find("word:softPx");
  feather->setFocus();
  QTest::keyClick(feather, Qt::Key_Up);
  QTest::keyClick(feather, Qt::Key_Up);
  EXPECT_DOUBLE_EQ(w.shot().mattes[0].parts[0].softPx.constant(), 10);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_DOUBLE_EQ(w.shot().mattes[0].parts[0].softPx.constant(), 8) << "turning a word is one step";
  auto* cover = w.find("word:covered");
  cover->setFocus();
  QTest::keyClick(cover, Qt::Key_Tab);
  EXPECT_EQ(QApplication::focusWidget()->objectName(), "wordEdit") << "the next word is a number, ready to be typed";
}

TEST(Window, ValuesThatMakeNoSenseAreRefusedInWords) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  w.station("Work");
  const shot::Shot before = w.shot();
  w.type("softPx", "many");
  EXPECT_TRUE(w.notice().contains("not a number"));
  w.type("frame", "5");
  EXPECT_TRUE(w.notice().contains("outside"));
  EXPECT_TRUE(w.shot() == before);
}

TEST(Window, SlipIsShownInTheLedgerAndAClickOnThePeakGoesThere) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 640, 360);
  test::addPatch(s, 1005, 1003, 200, 100, 420, 260);
  s.surfaces[0].position = Vec3(0, 1.5, 0.08);
  Window w(s, folder);
  ASSERT_TRUE(w.settle());
  const auto* slip = w.window.engine().meter().slipOf("e1");
  ASSERT_NE(slip, nullptr);
  EXPECT_GT(slip->lockPx, 0.3);
  const app::Fact fact = app::factOf(app::Station::Work, w.session(), w.window.engine());
  EXPECT_EQ(fact.state, app::Fact::State::Worry);
  EXPECT_TRUE(fact.why.contains("slips"));
  auto* strip = static_cast<app::Strip*>(w.find("strip"));
  QTest::mouseClick(
      strip, Qt::LeftButton, Qt::NoModifier,
      QPoint(int(std::lround(strip->xOf(slip->lockFrame))), int(std::lround(strip->yOfSlip(slip->lockPx)))));
  EXPECT_EQ(w.session().frame(), slip->lockFrame);
}

TEST(Window, EscapeTakesADragBack) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  w.station("Set");
  w.session().chooseSurface("s1");
  const shot::Shot before = w.shot();
  auto* view = &w.window.cameraView();
  const QPoint centre = w.at(before.surfaces[0].position.constant());
  QTest::mousePress(view, Qt::LeftButton, Qt::NoModifier, centre);
  Window::moveHeld(view, centre + QPoint(20, 10));
  Window::moveHeld(view, centre + QPoint(40, 20));
  EXPECT_FALSE(w.shot() == before);
  QTest::keyClick(view, Qt::Key_Escape);
  EXPECT_TRUE(w.shot() == before);
}

TEST(Window, TheSetViewDrawsTheSetAndTurns) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  w.click("viewSet");
  ASSERT_TRUE(QTest::qWaitFor([&] { return w.window.setView().isVisible() && w.window.setView().settled(); }, 20000));
  QPointF before, after;
  ASSERT_TRUE(w.window.setView().toScreen(Vec3(1, 1, 0), before));
  auto* v = &w.window.setView();
  QTest::mousePress(v, Qt::RightButton, Qt::NoModifier, QPoint(400, 300));
  QMouseEvent move(QEvent::MouseMove, QPointF(460, 300), v->mapToGlobal(QPointF(460, 300)), Qt::NoButton,
                   Qt::RightButton, Qt::NoModifier);
  QApplication::sendEvent(v, &move);
  QTest::mouseRelease(v, Qt::RightButton, Qt::NoModifier, QPoint(460, 300));
  ASSERT_TRUE(w.window.setView().toScreen(Vec3(1, 1, 0), after));
  EXPECT_GT(QLineF(before, after).length(), 10);
  ASSERT_TRUE(QTest::qWaitFor([&] { return w.window.setView().settled(); }, 20000));
}

TEST(Window, ShortcutsOfTheStationAreShown) {
  const test::Folder folder;
  Window w(test::demoShot(folder), folder);
  w.station("Work");
  QTest::keyClick(&w.window, Qt::Key_Question);
  bool found = false;
  for (QLabel* l : w.find<QFrame>("shortcuts")->findChildren<QLabel*>())
    found |= l->text() == "new patch from this frame";
  EXPECT_TRUE(found);
}

TEST(Window, UnsavedEditsAreFoundAgainAfterAKill) {
  const test::Folder folder;
  const std::string file = (folder / "test.zentil").string();
  shot::save(test::walkAlongWall(folder, 3), file);
  QProcess p;
  p.start(QCoreApplication::applicationFilePath(), {"--edit-until-killed", QString::fromStdString(file)});
  ASSERT_TRUE(p.waitForStarted());
  QByteArray said;
  QElapsedTimer clock;
  for (clock.start(); !said.contains("edited") && clock.elapsed() < 60000; said += p.readAllStandardOutput())
    p.waitForReadyRead(100);
  ASSERT_TRUE(said.contains("edited"));
  // What is written within ten seconds of an edit is what a kill leaves.
  const QString saved = app::Session::autosaveOf(QString::fromStdString(file));
  ASSERT_TRUE(QTest::qWaitFor([&] { return QFileInfo::exists(saved); }, 10000));
  p.kill();  // SIGKILL
  p.waitForFinished();
  Window again((folder / "test.zentil").string());
  EXPECT_DOUBLE_EQ(again.shot().surfaces[0].size.constant().x(), 8);
  again.click("recover");
  EXPECT_DOUBLE_EQ(again.shot().surfaces[0].size.constant().x(), 5);
  again.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_DOUBLE_EQ(again.shot().surfaces[0].size.constant().x(), 8) << "recovering can be undone";
}
