// That work is not lost, in the window: plates, autosaves, jobs of another shot, files that others write.
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QStandardPaths>
#include <filesystem>
#include <fstream>

#include "core/image/crop.h"
#include "core/image/plate.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"
#include "tests/support/tracked.h"

using namespace zentil;
using test::Window;
namespace fs = std::filesystem;

namespace {

/// Presses a button of the next question that is asked, by its words.
void answer(const QString& words, bool* asked) {
  auto* timer = new QTimer(qApp);
  QObject::connect(timer, &QTimer::timeout, qApp, [timer, words, asked] {
    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
    if (!box) return;
    timer->stop();
    timer->deleteLater();
    for (auto* b : box->buttons())
      if (b->text() == words) {
        *asked = true;
        QTest::mouseClick(b, Qt::LeftButton);
        return;
      }
    ADD_FAILURE() << "no such answer: " << words.toStdString();
    box->reject();
  });
  timer->start(30);
}

}  // namespace

TEST(SafeWindow, AnotherPlateIsAnEditAndUndoBringsTheOldOneBack) {
  const test::Folder folder, other;
  Window w(test::walkAlongWall(folder), folder);
  const auto before = w.shot();
  const auto take = test::walkAlongWall(other);
  w.station("Plate");
  EXPECT_EQ(w.find<QPushButton>("openPlate")->text(), "Replace this plate…");
  w.load({app::FileWish::For::ThisPlate}, QString::fromStdString(take.plate().fileOf(1002)));
  EXPECT_EQ(w.shot().plate().pattern, take.plate().pattern);
  EXPECT_EQ(w.shot().surfaces, before.surfaces);
  EXPECT_EQ(*w.shot().camera, *before.camera);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot(), before);
  // One that is dropped is put beside it.
  w.drop({QString::fromStdString(take.plate().fileOf(1001))});
  EXPECT_EQ(w.shot().plates.size(), 2U);
  EXPECT_EQ(w.shot().plate().pattern, before.plate().pattern);
}

TEST(SafeWindow, APlateThatWasMovedIsOfferedWhereItIs) {
  const test::Folder folder;
  const auto shot = test::walkAlongWall(folder);
  fs::create_directories(folder / "scans");
  fs::rename(folder / "plate", folder / "scans/plate");
  Window w(shot, folder);
  w.station("Plate");
  auto* take = w.find<QPushButton>("takeFoundPlate");
  EXPECT_EQ(take->text(), "Take it from scans/plate");
  QTest::mouseClick(take, Qt::LeftButton);
  w.isRead();
  EXPECT_EQ(w.shot().plate().pattern, (folder / "scans/plate" / fs::path(shot.plate().pattern).filename()).string());
  EXPECT_TRUE(w.settle());
  float c[4];
  EXPECT_TRUE(test::waitFor([&] { return w.window.engine().valueAt(1001, {160, 90}, c); }, 10000));
}

TEST(SafeWindow, AnAutosaveNeverLandsAfterTheSave) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  const QString beside = w.session().autosave();
  for (int i = 1; i <= 20; ++i) {
    w.session().change("size", [&](shot::Shot& s) { s.surfaces[0].size = Vec3(i, 2, 1); });
    w.session().autosaveNow();
    ASSERT_TRUE(w.session().saveTo(w.session().file()));
    QCoreApplication::processEvents();
    ASSERT_FALSE(QFileInfo::exists(beside)) << i;
  }
}

TEST(SafeWindow, UntitledShotsKeepTheirEditsApartAndACrashedOnesAreOffered) {
  const test::Folder folder;
  const auto shot = test::walkAlongWall(folder);
  app::Session one, two;
  EXPECT_NE(one.autosave(), two.autosave());
  // What a program left that runs no more.
  const QString left = QFileInfo(one.autosave()).absolutePath() + "/untitled-0123456789.zentil.autosave";
  shot::save(shot, left.toStdString());
  {
    app::Session next;
    EXPECT_EQ(next.recoverable(), left);
    next.recover();
    EXPECT_EQ(next.shot().surfaces, shot.surfaces);
    EXPECT_TRUE(next.isModified());
    EXPECT_FALSE(QFileInfo::exists(left));
    EXPECT_TRUE(QFileInfo::exists(next.autosave()));
    // Its own are nobody else's as long as it runs.
    app::Session another;
    EXPECT_NE(another.recoverable(), next.autosave());
    QFile::remove(next.autosave());
  }
}

// The dialog asks about the whole name, with the ending that it gets.
TEST(SafeWindow, SavedUnderAnothersNameItAsksAndLosesNothing) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  for (const char* name : {"theirs", "theirs.v2"}) {
    const std::string there = folder / (std::string(name) + ".zentil");
    std::ofstream(there) << "what somebody else made";
    test::answerDialog(name);
    // What asks is a box before the dialog: it is told no, and the dialog is left.
    QTimer no;
    QStringList asked;
    QObject::connect(&no, &QTimer::timeout, [&] {
      auto* modal = QApplication::activeModalWidget();
      if (auto* box = qobject_cast<QMessageBox*>(modal)) {
        asked << box->text();
        QTest::keyClick(box, Qt::Key_Escape);
      } else if (!asked.isEmpty() && modal) {
        QTest::keyClick(modal, Qt::Key_Escape);
      }
    });
    no.start(300);
    w.window.activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(&w.window));
    w.key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(test::waitFor([&] { return !asked.isEmpty() && !QApplication::activeModalWidget(); }, 20000)) << name;
    no.stop();
    asked.removeDuplicates();
    ASSERT_EQ(asked.size(), 1) << name << ": " << asked.join(" | ").toStdString();
    EXPECT_TRUE(asked[0].contains(QString(name) + ".zentil")) << asked[0].toStdString();
    EXPECT_EQ(readText(there), "what somebody else made");
  }
}

namespace {

/// What the next dialog for a file proposes; it is taken as it stands, by Return.
class Proposal {
 public:
  QString name, place;

  Proposal() {
    QObject::connect(&look_, &QTimer::timeout, [this] {
      auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
      if (!dialog) return;
      look_.stop();
      place = dialog->directory().absolutePath();
      auto* field = dialog->findChild<QLineEdit*>("fileNameEdit");
      name = field->text();
      QTest::keyClick(field, Qt::Key_Return);
    });
    look_.start(100);
  }
  bool taken() const {
    return test::waitFor([&] { return !name.isEmpty() && !QApplication::activeModalWidget(); }, 20000);
  }

 private:
  QTimer look_;
};

}  // namespace

TEST(SafeWindow, ADeliveryIntoAFolderThatIsNotThereYetGoesThere) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  s.delivery.pattern = (folder / "out/v2/clean.####.exr").string();
  Window w(s, folder);
  w.station("Deliver");
  const Proposal proposal;
  QTest::mouseClick(w.find<QWidget>("word:files"), Qt::LeftButton);
  ASSERT_TRUE(proposal.taken());
  EXPECT_EQ(proposal.place.toStdString(), folder.path());
  EXPECT_EQ(proposal.name, "out/v2/clean.####.exr");
  EXPECT_EQ(w.shot().delivery.pattern, s.delivery.pattern);
}

TEST(SafeWindow, AShotThatWasNeverSavedIsSavedBesideItsPlateUnderItsName) {
  const test::Folder folder;
  app::MainWindow window(size_t{1} << 30);
  window.show();
  auto s = test::walkAlongWall(folder);
  s.name = "Walk 3/b";
  window.session().replace(s, {});
  ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
  window.activateWindow();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
  const Proposal proposal;
  QTest::keyClick(&window, Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(proposal.taken());
  EXPECT_EQ(proposal.name, "Walk 3_b.zentil");
  EXPECT_EQ(proposal.place.toStdString(), fs::path(s.plate().pattern).parent_path());
  EXPECT_FALSE(window.session().isModified());
  EXPECT_EQ(shot::load(window.session().file().toStdString()).name, "Walk 3/b");
}

TEST(SafeWindow, AnAutosaveThatCannotBeWrittenIsSaidOnce) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  QStringList said;
  QObject::connect(&w.session(), &app::Session::notice, [&](const QString& text, bool) { said << text; });
  // A folder stands where the autosave would go, for everybody, root too.
  fs::create_directories(w.session().autosave().toStdString() + "/in the way");
  for (int i = 1; i <= 3; ++i) {
    w.session().change("size", [&](shot::Shot& s) { s.surfaces[0].size = Vec3(i, 2, 1); });
    w.session().autosaveNow();
    test::waitFor([&] { return !said.isEmpty(); }, 3000);
  }
  QCoreApplication::processEvents();
  EXPECT_EQ(said.filter("not kept safe").size(), 1);
  fs::remove_all(w.session().autosave().toStdString());
}

TEST(SafeWindow, AnAnswerForTheShotBeforeDoesNotLandInThisOne) {
  const test::Folder folder, other;
  auto tracked = test::walkAlongWall(folder);
  const test::TrackedScene scene({.noisePx = 0.1, .count = 400});
  tracked.tracks = std::make_shared<track::Tracks>(scene.tracks);
  tracked.range = scene.range, tracked.width = 1280, tracked.height = 720;
  Window w(tracked, folder);
  QStringList said;
  QObject::connect(&w.session(), &app::Session::notice, [&](const QString& text, bool) { said << text; });
  w.window.engine().jobs().solve();
  ASSERT_TRUE(w.window.engine().jobs().busy());
  const auto second = test::walkAlongWall(other);
  shot::save(second, other / "second.zentil");
  ASSERT_TRUE(w.session().open(QString::fromStdString((other / "second.zentil").string())));
  EXPECT_FALSE(w.window.engine().jobs().busy());
  const auto before = w.shot();
  // Jobs run one after the other: when the next has ended, what came of the first has been dropped.
  w.window.engine().jobs().solve();
  ASSERT_TRUE(test::waitFor([&] { return !w.window.engine().jobs().busy(); }));
  EXPECT_FALSE(said.filter("too few").isEmpty());
  EXPECT_EQ(w.shot(), before);
  EXPECT_FALSE(w.session().isModified());
  EXPECT_EQ(said.filter("belonged to the shot").size(), 1) << said.join("; ").toStdString();
}

TEST(SafeWindow, WhatACommandSavedMeanwhileIsNotSavedOver) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  auto outside = shot::load(w.file);
  outside.name = "from outside";
  shot::save(outside, w.file);
  w.session().change("size", [&](shot::Shot& s) { s.surfaces[0].size = Vec3(3, 2, 1); });
  bool asked = false;
  answer("Do not save", &asked);
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(asked);
  EXPECT_TRUE(w.session().isModified());
  EXPECT_EQ(shot::load(w.file).name, "from outside");
  asked = false;
  answer("Save over it", &asked);
  w.window.activateWindow();
  ASSERT_TRUE(test::waitFor([&] { return w.window.isActiveWindow(); }, 5000));
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_TRUE(asked);
  EXPECT_FALSE(w.session().isModified());
  EXPECT_EQ(shot::load(w.file), w.shot());
  // And then nobody is asked any more.
  w.window.activateWindow();
  ASSERT_TRUE(test::waitFor([&] { return w.window.isActiveWindow(); }, 5000));
  w.session().change("size", [&](shot::Shot& s) { s.surfaces[0].size = Vec3(4, 2, 1); });
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_FALSE(w.session().isModified());
}

TEST(SafeWindow, FilesOfOthersAreAskedAboutBeforeADelivery) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  fs::create_directories(folder / "deliver");
  const auto theirs = folder / "deliver/walk.1002.exr";
  image::writePicture(theirs, image::Picture(8, 8, 4), {});
  const auto size = fs::file_size(theirs);
  bool asked = false;
  w.station("Deliver");
  answer("Leave them", &asked);
  w.click("deliver");
  ASSERT_TRUE(test::waitFor([&] { return asked; }, 20000));
  EXPECT_EQ(fs::file_size(theirs), size);
  EXPECT_FALSE(fs::exists(folder / "deliver/walk.1001.exr"));
  asked = false;
  answer("Replace them", &asked);
  w.click("deliver");
  ASSERT_TRUE(test::waitFor([&] { return asked && fs::exists(folder / "deliver/walk.1005.exr"); }, 20000));
  EXPECT_NE(fs::file_size(theirs), size);
  EXPECT_TRUE(w.settle());
}

TEST(SafeWindow, AShotThatWasNeverSavedIsOfferedWhenTheProgramStartsAgain) {
  const test::Folder folder;
  const auto shot = test::walkAlongWall(folder);
  const app::Session place;
  const QString left = QFileInfo(place.autosave()).absolutePath() + "/untitled-fedcba9876.zentil.autosave";
  shot::save(shot, left.toStdString());
  app::MainWindow window(size_t{1} << 28);
  window.resize(1280, 800);
  window.show();
  ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
  auto* take = window.findChild<QPushButton*>("recover");
  ASSERT_TRUE(take && take->isVisible());
  QTest::mouseClick(take, Qt::LeftButton);
  ASSERT_TRUE(test::waitFor([&] { return !window.engine().jobs().reads(); }));
  EXPECT_EQ(window.session().shot().surfaces, shot.surfaces);
  EXPECT_FALSE(take->isVisible());
  window.session().dropAutosave();
}

TEST(SafeWindow, WhatAnUntitledShotLeftIsNotOfferedAsEditsOfAnotherShot) {
  const test::Folder folder;
  const auto shot = test::walkAlongWall(folder);
  const app::Session place;
  const QString left = QFileInfo(place.autosave()).absolutePath() + "/untitled-fedcba9877.zentil.autosave";
  auto other = shot;
  other.name = "left behind";
  shot::save(other, left.toStdString());
  Window w(shot, folder);
  w.laidOut();
  const auto* take = w.window.findChild<QPushButton*>("recover");
  EXPECT_FALSE(take->isVisible());
  EXPECT_TRUE(w.session().recoverable().isEmpty());
  EXPECT_TRUE(QFile::exists(left)) << "it waits for the next start without a shot";
  QFile::remove(left);
}

TEST(SafeWindow, TheAutosaveBesideADamagedShotIsOffered) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  const std::string broken = (folder / "broken.zentil").string();
  shot::save(w.shot(), app::Session::autosaveOf(QString::fromStdString(broken)).toStdString());
  std::ofstream(broken) << "{\"type\": \"zentil-shot\", \"vers";
  EXPECT_FALSE(w.session().open(QString::fromStdString(broken)));
  EXPECT_TRUE(w.notice().contains("cut short")) << w.notice().toStdString();
  const auto before = w.shot();
  w.click("recover");
  // As the document that it belongs to, to be saved over the damaged one.
  EXPECT_EQ(w.session().file().toStdString(), broken);
  EXPECT_EQ(w.shot().surfaces, before.surfaces);
  EXPECT_TRUE(w.session().isModified());
  EXPECT_TRUE(w.session().saveTo(w.session().file()));
  EXPECT_EQ(shot::load(broken), w.shot());
}

TEST(SafeWindow, APlateWithASmallerDataWindowIsLookedAtInEveryWay) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1001, 1001, 100, 60, 220, 120);
  // The same frames, cropped, and a patch that reaches out of what is left of them.
  test::repaint(s, [](int, image::Picture& p) { p = image::over(p, {40, 20, 290, 165}); });
  test::drawn(s).shapes = {test::rectangle(4, 60, 120, 120)};
  Window w(s, folder);
  w.station("Work");
  const auto look = [&](app::View view) {
    w.session().setView(view);
    ASSERT_TRUE(w.settle());
    QTest::qWait(80);  // of two pictures that take turns, both
    w.window.grab();
  };
  for (const auto compare : {app::Compare::None, app::Compare::Wipe, app::Compare::Difference, app::Compare::Flicker})
    for (const auto channel : {app::Channel::Colour, app::Channel::Alpha})
      for (const bool on : {true, false})
        for (const bool straight : {false, true}) {
          app::View view = w.session().view();
          view.compare = compare, view.channel = channel, view.straight = straight;
          w.session().change("show or hide", [on](shot::Shot& x) { x.elements[0].on = on; });
          look(view);
        }
  // What lies outside of the frames is neither measured nor lost.
  w.session().change("show", [](shot::Shot& x) { x.elements[0].on = true; });
  w.session().setFrame(1002);  // on 1001 the source lacks it too
  app::View view = w.session().view();
  view.compare = app::Compare::None, view.channel = app::Channel::Colour, view.straight = false;
  look(view);
  const QImage shown = w.window.cameraView().grab().toImage();
  EXPECT_GT(qGreen(shown.pixel(w.at(20, 90))), 20) << "the patch outside of the plate's pixels";
  EXPECT_LT(qGreen(shown.pixel(w.at(310, 10))), 60) << "nothing there";
}
