// Small things that a hand meets: tools that say what they do, planes at once, rectangles, words that keep their
// values, help.
#include <QLabel>
#include <QScrollArea>
#include <QTextBrowser>

#include "app/strip/strip.h"
#include "core/edit/edits.h"
#include "core/edit/things.h"
#include "core/evaluate/shot_evaluator.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

/// The wall with a grid of solved points on it.
shot::Shot withPoints(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 3);
  auto points = std::make_shared<std::vector<set::Point>>();
  for (int j = 0; j < 7; ++j)
    for (int i = 0; i < 9; ++i) points->push_back({Vec3(-1.2 + 0.3 * i, 0.9 + 0.2 * j, 0), 0.1, 3, 10 * j + i + 1});
  s.points = points;
  return s;
}

TEST(HandWindow, ADragChoosesARectangleAndAltALoopAndAPlaneIsMadeAtOnce) {
  const test::Folder folder;
  Window w(withPoints(folder), folder);
  w.station("Set");
  ASSERT_TRUE(w.settle());
  auto* view = &w.window.cameraView();
  const QPoint a = w.at(Vec3(-0.7, 1.95, 0)), b = w.at(Vec3(0.4, 1.05, 0));
  w.drag(view, a, b, 3);
  size_t inside = 0;
  for (const auto& p : *w.shot().points) {
    QPointF q;
    inside += view->toScreen(p.at, q) && QRectF(a, b).normalized().contains(q);
  }
  EXPECT_GE(inside, 12U);
  EXPECT_EQ(w.session().points().size(), inside);
  // The same two corners as a loop hold next to nothing: the way back is the way there.
  w.drag(view, a, b, 3, Qt::AltModifier);
  EXPECT_LT(w.session().points().size(), 4U);
  w.drag(view, a, b, 3);
  const size_t before = w.shot().surfaces.size();
  w.key(Qt::Key_A);
  ASSERT_EQ(w.shot().surfaces.size(), before + 1);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  EXPECT_NEAR(std::abs(w.shot().surfaces.back().at(1001).normal().z()), 1, 1e-3);
  // A new patch lands on the surface that is chosen.
  w.station("Work");
  w.key(Qt::Key_P);
  EXPECT_EQ(w.shot().elements.back().surface(), w.shot().surfaces.back().id);
}

TEST(HandWindow, AMatchThatIsSwitchedOffIsKept) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1001, 1001, 60, 40, 260, 140);
  Window w(s, folder);
  w.station("Work");
  w.session().chooseElement("e1");
  w.click("more");
  w.type("gain", "1.5");
  EXPECT_EQ(w.shot().elements[0].look.gain.constant(), (element::Rgb{1.5, 1.5, 1.5}));
  w.type("gain.r", "3");
  w.type("gain", "4");
  // What they are to each other stays: 3, 1.5, 1.5 had a mean of two.
  const auto gain = w.shot().elements[0].look.gain.constant();
  EXPECT_NEAR(gain[0], 6, 1e-9);
  EXPECT_NEAR(gain[1], 3, 1e-9);
  w.choose("match", "its own");
  EXPECT_FALSE(w.shot().elements[0].look.matched);
  EXPECT_EQ(w.shot().elements[0].look.gain.constant(), gain);
  const auto plain = evaluate::resolve(w.shot(), 1001).layers.at(0).look.gain.constant();
  EXPECT_EQ(plain, (element::Rgb{1, 1, 1})) << "it does not apply";
  w.choose("match", "matched in level");
  EXPECT_TRUE(w.shot().elements[0].look.matched);
  EXPECT_EQ(w.shot().elements[0].look.gain.constant(), gain);
  // What was unfolded stays so when the list changes.
  EXPECT_TRUE(w.find<QPushButton>("more")->isChecked());
  w.key(Qt::Key_D, Qt::ControlModifier);
  w.session().chooseElement("e1");
  EXPECT_TRUE(w.find<QPushButton>("more")->isChecked());
}

TEST(HandWindow, FrameAndExposureAreTyped) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 5), folder);
  w.click("frameNow");
  auto* field = w.find<QLineEdit>("nameField");
  QTest::keyClicks(field, "1004");
  QTest::keyClick(field, Qt::Key_Return);
  EXPECT_EQ(w.session().frame(), 1004);
  w.click("exposure");
  field = w.find<QLineEdit>("nameField");
  QTest::keyClicks(field, "1/2");
  QTest::keyClick(field, Qt::Key_Return);
  EXPECT_NEAR(w.session().view().exposure, 0.5, 1e-9);
  w.click("exposure");
  field = w.find<QLineEdit>("nameField");
  QTest::keyClicks(field, "9");
  QTest::keyClick(field, Qt::Key_Escape);
  EXPECT_NEAR(w.session().view().exposure, 0.5, 1e-9);
}

TEST(HandWindow, TheShortcutPageFollowsTheStationAndEscClosesIt) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  const auto says = [&](const QString& text) {
    auto* page = w.window.findChild<QFrame*>("shortcuts");
    if (!page || !page->isVisible()) return false;
    for (auto* l : page->findChildren<QLabel*>())
      if (l->text().contains(text)) return true;
    return false;
  };
  w.station("Set");
  w.key(Qt::Key_Question);
  EXPECT_TRUE(test::waitFor([&] { return says("aim a plane"); }, 5000));
  EXPECT_TRUE(says("duplicate the selection"));
  w.key(Qt::Key_6, Qt::AltModifier);
  EXPECT_TRUE(test::waitFor([&] { return says("new patch from this frame"); }, 5000));
  EXPECT_FALSE(says("aim a plane"));
  w.key(Qt::Key_Escape);
  EXPECT_TRUE(test::waitFor([&] { return !says("duplicate the selection"); }, 5000));
}

TEST(HandWindow, HelpShowsTheStationsPageAndFindsWords) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  w.station("Track");
  w.key(Qt::Key_F1);
  auto* text = w.find<QTextBrowser>("helpText");
  EXPECT_TRUE(text->toPlainText().startsWith("Track"));
  w.key(Qt::Key_7, Qt::AltModifier);
  EXPECT_TRUE(text->toPlainText().startsWith("Deliver"));
  QTest::keyClicks(w.find<QLineEdit>("helpSearch"), "film back");
  EXPECT_TRUE(text->toPlainText().contains("Camera") && text->toPlainText().contains("film back"));
  EXPECT_FALSE(text->toPlainText().contains("Disk full"));
  // Typing there is typing: F and B are keys elsewhere.
  EXPECT_EQ(w.session().view().compare, app::Compare::None);
  QTest::keyClicks(w.find<QLineEdit>("helpSearch"), " zzzz");
  EXPECT_TRUE(text->toPlainText().contains("Nothing in the help"));
  QTest::keyClick(w.find<QLineEdit>("helpSearch"), Qt::Key_Escape);
  EXPECT_TRUE(test::waitFor([&] { return !w.window.findChild<QFrame*>("help"); }, 5000));
  // Every station has a page with steps, and what to do when it goes wrong.
  for (int i = 0; i < 7; ++i) {
    QFile page(QString(":/help/%1.md").arg(app::titleOf(static_cast<app::Station>(i)).toLower()));
    ASSERT_TRUE(page.open(QIODevice::ReadOnly)) << i;
    const QString all = QString::fromUtf8(page.readAll());
    EXPECT_TRUE(all.contains("## Steps") && all.contains("## Problems")) << i;
  }
}

TEST(HandWindow, AHintGoesAwayForGood) {
  const test::Folder folder;
  QSettings().setValue("hints/lens", false);
  {
    Window w(test::walkAlongWall(folder, 3), folder);
    w.station("Lens");
    w.click("hintKnown");
    EXPECT_EQ(
        w.window.findChild<QPushButton*>("hintKnown") && w.window.findChild<QPushButton*>("hintKnown")->isVisible(),
        false);
  }
  EXPECT_TRUE(QSettings().value("hints/lens").toBool());
}

TEST(HandWindow, TheWindowComesBackAsItWasLeft) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 5), folder);
  w.key(Qt::Key_5, Qt::AltModifier);
  w.session().setFrame(1003);
  w.click("viewBoth");
  w.window.close();
  app::MainWindow again(size_t{1} << 30);
  again.show();
  ASSERT_TRUE(again.session().open(QString::fromStdString(w.file)));
  EXPECT_EQ(again.session().station(), app::Station::Set);
  EXPECT_EQ(again.session().frame(), 1003);
  EXPECT_EQ(again.session().viewing(), app::Viewing::Both);
}

TEST(HandWindow, TheBarFoldsInsteadOfClipping) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  for (const QSize& size : {QSize(900, 600), QSize(1280, 800), QSize(1400, 900)}) {
    w.window.resize(size);
    w.laidOut();
    auto* bar = w.find("pictureBar");
    for (auto* b : bar->findChildren<QPushButton*>())
      if (b->isVisible()) {
        EXPECT_TRUE(bar->rect().contains(b->geometry())) << b->objectName().toStdString() << " at " << size.width();
        EXPECT_GE(b->width(), b->sizeHint().width()) << b->objectName().toStdString();
      }
  }
}

TEST(HandWindow, WhatIsNotTrackedIsDrawnListedAndRemovedAtTrack) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  // Nothing is solved yet.
  s.camera = std::make_shared<camera::CameraPath>();
  s.surfaces.clear();
  Window w(s, folder);
  w.station("Track");
  ASSERT_TRUE(w.settle());
  w.click("drawTrackMatte");
  for (const auto& [x, y] : {std::pair{60, 40}, {140, 40}, {140, 100}, {60, 100}}) w.clickPicture(w.at(x, y));
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Return);
  ASSERT_EQ(w.shot().mattes.size(), 1U);
  EXPECT_EQ(w.shot().tracking.matte, w.shot().mattes[0].id);
  EXPECT_EQ(w.shot().mattes[0].parts[0].follows, matte::Follows::Screen);
  EXPECT_TRUE(w.shot().elements.empty());
  EXPECT_EQ(w.session().station(), app::Station::Track);
  w.click("trackMatteRemove");
  EXPECT_TRUE(w.shot().mattes.empty() && w.shot().tracking.matte.empty());
}

TEST(HandWindow, NothingMakesTheLedgerWiderThanItIs) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  auto body = std::make_shared<camera::CameraPath>();
  body->backWidthMm = 36, body->backHeightMm = 24;
  s.camera = body;
  Window w(s, folder);
  auto* ledger = w.find<QScrollArea>("ledger");
  for (const char* station : {"Plate", "Lens", "Track", "Camera", "Set", "Work", "Deliver"}) {
    w.station(station);
    w.laidOut();
    EXPECT_LE(ledger->widget()->minimumSizeHint().width(), ledger->viewport()->width()) << station;
  }
  w.station("Camera");
  w.click("fitBack");
  EXPECT_NEAR(w.shot().camera->backHeightMm, 20.25, 1e-9);
}

// With few elements and with many, in a small window and a large one, keys and slip at their worst: no two words of the
// strip lie on each other, and every element's bar can be scrolled to.
TEST(HandWindow, NoTwoWordsOfTheStripLieOnEachOther) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1001, 1003, 110, 70, 180, 120);
  comp::RenderCache cache(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"key": "elements.e1.look.opacity", "frame": 1002, "to": 0.5}])"),
              {cache, folder.path()});
  const auto first = s.elements[0];
  for (const int count : {1, 10, 40}) {
    auto many = s;
    for (int i = 1; i < count; ++i) {
      auto e = first;
      e.id = "e" + std::to_string(i + 1), e.name = "patch " + std::to_string(i + 1);
      many.elements.push_back(e);
    }
    Window w(many, folder);
    w.station("Work");
    for (const QSize size : {QSize(900, 600), QSize(1280, 800), QSize(1920, 1080)}) {
      w.window.resize(size);
      w.session().chooseElement(QString("e%1").arg(count));
      ASSERT_TRUE(test::waitFor([&] { return w.window.engine().meter().slipOf("e1") != nullptr; }));
      auto* strip = w.window.findChild<app::Strip*>();
      ASSERT_NE(strip, nullptr);
      ASSERT_TRUE(test::waitFor([&] { return strip->yOfBar(count - 1) >= 0; })) << "the chosen one is in sight";
      strip->grab();
      const auto& labels = strip->labels();
      EXPECT_GE(labels.size(), 5U);
      for (size_t i = 0; i < labels.size(); ++i)
        for (size_t j = 0; j < i; ++j)
          EXPECT_FALSE(labels[i].intersects(labels[j]))
              << count << " elements, " << size.width() << " px, labels " << i << " and " << j;
      EXPECT_LT(strip->yOfBar(count - 1), strip->height());
    }
  }
}

}  // namespace
}  // namespace zentil
