// Painting in the window: by mouse and by a tablet's pen, strokes mended afterwards, a picture sent out and back.
#include <QInputDevice>
#include <QPointingDevice>
#include <QTabletEvent>
#include <algorithm>
#include <cmath>

#include "core/edit/cleanup.h"
#include "tests/app/window.h"
#include "tests/support/in_time.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

/// At Work, on frame 1002, with an element of paint and the brush in hand.
void takeBrush(Window& w) {
  w.session().setFrame(1002);
  w.station("Work");
  w.click("addPaint");
  ASSERT_EQ(w.shot().elements.size(), 1U) << w.notice().toStdString();
  ASSERT_EQ(w.session().tool(), app::Tool::Paint) << "who adds paint wants to paint";
  ASSERT_TRUE(w.settle());
}

const element::Paint& paintOf(Window& w) { return *w.shot().elements[0].from<element::Paint>(); }

bool hasStrokes(Window& w, size_t count) {
  return test::waitFor([&] { return paintOf(w).strokes.size() == count; });
}

image::Picture built(Window& w, int frame) {
  comp::RenderCache cache(test::kBudget);
  return test::buildFrame(w.shot(), frame, cache);
}

TEST(PaintWindow, StrokesByMouseAreShownKeptAndTakenBack) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  auto* view = &w.window.cameraView();
  w.choose("tool", "colour");
  w.type("sizePx", "24");
  w.type("hardness", "90");
  const auto bare = built(w, 1002);
  w.drag(view, w.at(100, 90), w.at(160, 90), 12);
  ASSERT_TRUE(hasStrokes(w, 1)) << w.notice().toStdString();
  EXPECT_NEAR(built(w, 1002).pixel(130, 90)[0], 0.18, 1e-4);
  // On the screen it is what is delivered.
  ASSERT_TRUE(w.settle());
  const auto onScreen = [&](double x, double y) {
    const QPoint at = w.at(x, y);
    return qRed(view->grab().toImage().pixel(at));
  };
  const int tool = onScreen(130.5, 90.5);
  EXPECT_NEAR(onScreen(115.5, 90.5), tool, 1) << "even, as one colour is";
  w.key(Qt::Key_Z, Qt::ControlModifier);
  ASSERT_TRUE(hasStrokes(w, 0));
  EXPECT_EQ(built(w, 1002).values, bare.values);
  w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(hasStrokes(w, 1));

  // Where a clone is taken from is dragged; sizes go by keys.
  w.drag(view, w.at(130, 90), w.at(130, 40), 6, Qt::ShiftModifier);
  EXPECT_EQ(paintOf(w).brush.tool, element::BrushTool::Clone);
  EXPECT_NEAR(paintOf(w).brush.offset.x(), 0, 1);
  EXPECT_NEAR(paintOf(w).brush.offset.y(), -50, 1.5);
  const double size = paintOf(w).brush.sizePx;
  QTest::keyClick(view, Qt::Key_Period);
  EXPECT_GT(paintOf(w).brush.sizePx, size);
  QTest::keyClick(view, Qt::Key_Comma);
  w.drag(view, w.at(130, 90), w.at(140, 90), 4);
  ASSERT_TRUE(hasStrokes(w, 2));
  const auto cloned = built(w, 1002);
  const int dy = static_cast<int>(paintOf(w).brush.offset.y()), dx = static_cast<int>(paintOf(w).brush.offset.x());
  EXPECT_NEAR(cloned.pixel(133, 90)[1], bare.pixel(133 + dx, 90 + dy)[1], 1e-5);

  // Escape while the pen is down takes the stroke back, and again puts the brush down.
  QTest::mousePress(view, Qt::LeftButton, {}, w.at(60, 60));
  Window::moveHeld(view, w.at(80, 60));
  QTest::keyClick(view, Qt::Key_Escape);
  QTest::mouseRelease(view, Qt::LeftButton, {}, w.at(80, 60));
  QTest::keyClick(view, Qt::Key_Escape);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  EXPECT_EQ(paintOf(w).strokes.size(), 2U);

  // Undo while the pen is down drops what is being drawn, and nothing that was there; other keys do nothing.
  w.click("paint");
  QTest::mousePress(view, Qt::LeftButton, {}, w.at(60, 60));
  Window::moveHeld(view, w.at(80, 60));
  QTest::keyClick(view, Qt::Key_Right);
  EXPECT_EQ(w.session().frame(), 1002);
  QTest::keyClick(view, Qt::Key_Z, Qt::ControlModifier);
  QTest::mouseRelease(view, Qt::LeftButton, {}, w.at(80, 60));
  QTest::qWait(100);  // long enough for it to come, if it did
  EXPECT_EQ(paintOf(w).strokes.size(), 2U);
  QTest::keyClick(view, Qt::Key_Escape);

  // The list shows strokes; one is hidden and one removed there.
  QWidget* shown = nullptr;
  const auto height = [&](QWidget* word) { return word->mapTo(&w.window, QPoint()).y(); };
  w.laidOut();
  for (QWidget* word : w.find<QWidget>("strokes")->findChildren<QWidget*>("word:on"))
    if (word->isVisible() && (!shown || height(word) > height(shown))) shown = word;
  ASSERT_NE(shown, nullptr);
  QTest::mouseClick(shown, Qt::LeftButton);
  auto* menu = w.find<QMenu>("wordMenu");
  QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(menu->actions()[0]).center());
  EXPECT_FALSE(paintOf(w).strokes[1].on);
  w.click("takeStrokes");
  EXPECT_EQ(paintOf(w).strokes.size(), 1U);
}

TEST(PaintWindow, StrokesDrawnFasterThanTheyAreMadeAreAllKept) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  auto* view = &w.window.cameraView();
  const auto stroke = [&](int y) {
    QTest::mousePress(view, Qt::LeftButton, {}, w.at(60, y));
    QTest::mouseMove(view, w.at(90, y));
    QTest::mouseRelease(view, Qt::LeftButton, {}, w.at(90, y));
  };
  // No event of what is made comes between: each but the first begins while the one before it is at work.
  const std::vector<int> rows{40, 60, 80, 100};
  for (const int y : rows) stroke(y);
  ASSERT_TRUE(hasStrokes(w, 4)) << paintOf(w).strokes.size() << w.notice().toStdString();
  for (size_t i = 0; i < rows.size(); ++i) {
    const auto& points = paintOf(w).strokes[i].penPath.points();
    ASSERT_GE(points.size(), 2U);
    EXPECT_NEAR(points.front().y, rows[i], 1.5);
    EXPECT_NEAR(points.back().x, 90, 1.5);
  }
  // Undo drops what was drawn last and still waits, and no more.
  for (const int y : {120, 130}) stroke(y);
  QTest::keyClick(view, Qt::Key_Z, Qt::ControlModifier);
  ASSERT_TRUE(hasStrokes(w, 5));
  ASSERT_TRUE(w.settle());
  EXPECT_EQ(paintOf(w).strokes.size(), 5U);
  EXPECT_NEAR(paintOf(w).strokes[4].penPath.points().front().y, 120, 1.5);
}

TEST(PaintWindow, TheFirstOfManyStrokesIsReachedInTheList) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  w.session().change("strokes", [&](shot::Shot& s) {
    element::Brush b;
    b.tool = element::BrushTool::Colour;
    for (int i = 0; i < 8; ++i) {
      const double y = 20.0 + 15 * i;
      edit::addStroke(s, s.elements.back().id, b, element::PenPath({{40, y, 1}, {60, y, 1}}), {});
    }
  });
  const auto words = [&] {
    w.laidOut();
    std::vector<QWidget*> out;
    for (QWidget* word : w.find<QWidget>("strokes")->findChildren<QWidget*>("word:on"))
      if (word->isVisible()) out.push_back(word);
    std::sort(out.begin(), out.end(), [&](QWidget* a, QWidget* b) {
      return a->mapTo(&w.window, QPoint()).y() < b->mapTo(&w.window, QPoint()).y();
    });
    return out;
  };
  EXPECT_EQ(words().size(), 6U);
  // What can be done stays where it is, however long the list is.
  const QPoint brush = w.find<QPushButton>("paint")->mapTo(&w.window, QPoint());
  w.click("allStrokes");
  ASSERT_EQ(words().size(), 8U);
  EXPECT_EQ(w.find<QPushButton>("paint")->mapTo(&w.window, QPoint()), brush);
  QTest::mouseClick(words().front(), Qt::LeftButton);
  auto* menu = w.find<QMenu>("wordMenu");
  QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(menu->actions()[0]).center());
  EXPECT_FALSE(paintOf(w).strokes[0].on);
  w.click("allStrokes");
  EXPECT_EQ(words().size(), 6U);
}

TEST(PaintWindow, AnotherInkOpensNoWordOfTheOldSentence) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  auto* tool = w.find("word:tool");
  tool->setFocus();
  ASSERT_TRUE(tool->hasFocus());
  // Its sentence has no offset, which was the next word.
  w.choose("tool", "remove a shadow");
  ASSERT_TRUE(w.settle());
  for (const auto* edit : w.window.findChildren<QLineEdit*>("wordEdit")) EXPECT_FALSE(edit->isVisible());
  EXPECT_TRUE(w.find("word:tool")->hasFocus()) << "the keyboard stays where it was";
}

TEST(PaintWindow, ItIsPaintedOnItsFrameAndOnWhatWasShot) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  w.session().setFrame(1003);
  ASSERT_TRUE(w.settle());
  w.drag(&w.window.cameraView(), w.at(100, 90), w.at(120, 90));
  EXPECT_EQ(w.session().frame(), 1002);
  EXPECT_TRUE(w.notice().contains("1002")) << w.notice().toStdString();
  EXPECT_TRUE(paintOf(w).strokes.empty());
  // Without an element of paint the brush says so.
  w.session().change("take it away", [](shot::Shot& s) { s.elements.clear(); });
  w.session().setTool(app::Tool::Paint);
  w.clickPicture(w.at(100, 90));
  EXPECT_TRUE(w.notice().contains("+ Paint")) << w.notice().toStdString();
  EXPECT_TRUE(w.shot().elements.empty());
}

TEST(PaintWindow, AStrokeNeverLandsInAnotherShot) {
  const test::Folder folder, other;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  auto second = w.shot();
  second.name = "second";
  shot::save(second, other / "second.zentil");
  auto* view = &w.window.cameraView();
  QTest::mousePress(view, Qt::LeftButton, {}, w.at(100, 90));
  Window::moveHeld(view, w.at(120, 90));
  w.session().replace(second, QString::fromStdString((other / "second.zentil").string()));
  Window::moveHeld(view, w.at(140, 90));
  QTest::mouseRelease(view, Qt::LeftButton, {}, w.at(140, 90));
  QTest::qWait(200);  // long enough for it to come, if it did
  EXPECT_EQ(w.shot().name, "second");
  EXPECT_TRUE(paintOf(w).strokes.empty());
  EXPECT_FALSE(w.window.cameraView().painter().busy());
}

TEST(PaintWindow, APenPressesAndItsOtherEndErases) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  w.choose("tool", "colour");
  w.type("sizePx", "40");
  auto* view = &w.window.cameraView();
  const auto device = [](QPointingDevice::PointerType type) {
    return new QPointingDevice("pen", 7 + static_cast<int>(type), QInputDevice::DeviceType::Stylus, type,
                               QInputDevice::Capability::Position | QInputDevice::Capability::Pressure, 1, 1);
  };
  const auto send = [&](const QPointingDevice* pen, QEvent::Type type, const QPoint& at, double pressure) {
    const QPointF global = view->mapToGlobal(QPointF(at));
    QTabletEvent e(type, pen, at, global, pressure, 0, 0, 0, 0, 0, {}, Qt::LeftButton,
                   type == QEvent::TabletRelease ? Qt::NoButton : Qt::LeftButton);
    QApplication::sendEvent(view, &e);
    EXPECT_TRUE(e.isAccepted());
  };
  const auto stroke = [&](const QPointingDevice* pen) {
    send(pen, QEvent::TabletPress, w.at(100, 90), 0.2);
    for (int i = 1; i <= 10; ++i) send(pen, QEvent::TabletMove, w.at(100 + 6 * i, 90), 0.2 + 0.08 * i);
    send(pen, QEvent::TabletRelease, w.at(160, 90), 0);
  };
  const auto bare = built(w, 1002);
  stroke(device(QPointingDevice::PointerType::Pen));
  ASSERT_TRUE(hasStrokes(w, 1));
  EXPECT_NEAR(paintOf(w).strokes[0].penPath.points()[0].pressure, 0.2, 1e-9);
  // Thin where it was pressed little, wide where it was pressed hard.
  const auto painted = built(w, 1002);
  const auto width = [&](int x) {
    int n = 0;
    for (int y = 40; y < 140; ++y) n += std::abs(painted.pixel(x, y)[1] - bare.pixel(x, y)[1]) > 1e-4f;
    return n;
  };
  EXPECT_LT(width(102), width(150) / 2);
  stroke(device(QPointingDevice::PointerType::Eraser));
  ASSERT_TRUE(hasStrokes(w, 2));
  EXPECT_EQ(paintOf(w).strokes[1].brush.tool, element::BrushTool::Erase);
}

TEST(InkInTime, ComesAtOnceOnALargePicture) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3, 1920, 1080), folder);
  takeBrush(w);
  ASSERT_TRUE(w.settle());
  w.type("sizePx", "60");
  auto* view = &w.window.cameraView();
  size_t strokes = 0;
  test::expectInTime([&] {
    std::vector<double> first, lag;
    for (int run = 0; run < 7; ++run) {
      QTest::mousePress(view, Qt::LeftButton, {}, w.at(300 + 30 * run, 300));
      for (int i = 1; i <= 40; ++i) {
        Window::moveHeld(view, w.at(300 + 30 * run + 6 * i, 300 + 12 * i));
        QTest::qWait(8);  // as often as a mouse tells
      }
      QTest::mouseRelease(view, Qt::LeftButton, {}, w.at(540 + 30 * run, 780));
      EXPECT_TRUE(hasStrokes(w, ++strokes));
      first.push_back(w.window.cameraView().painter().firstInkMs());
      lag.push_back(w.window.cameraView().painter().worstLagMs());
    }
    std::sort(first.begin(), first.end());
    std::sort(lag.begin(), lag.end());
    std::printf("first ink after %.1f ms (median of %zu strokes), never later than %.1f ms behind the pen (median)\n",
                first[3], first.size(), lag[3]);
    return first[3] < 25 && lag[3] < 60;
  });
}

TEST(PaintWindow, APictureIsSentOutAndWhatChangedThereIsTakenBack) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder, 3), folder);
  takeBrush(w);
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Escape);
  const auto file = folder / "for_painter.exr";
  w.load({app::FileWish::For::SendOut}, QString::fromStdString(file.string()));
  ASSERT_TRUE(test::waitFor([&] { return !paintOf(w).returned.empty(); })) << w.notice().toStdString();
  ASSERT_TRUE(w.settle());
  const auto bare = built(w, 1003);
  ASSERT_EQ(
      test::runCommand("oiiotool " + file.string() + " --fill:color=3,3,3,1 20x20+150+80 -d float -o " + file.string()),
      0);
  // The window sees it by itself.
  const auto bright = [&] { return qGreen(w.window.cameraView().grab().toImage().pixel(w.at(160, 90))) > 250; };
  EXPECT_TRUE(test::waitFor(bright, 6000));
  EXPECT_NE(built(w, 1003).values, bare.values) << "it goes along";
}

}  // namespace
}  // namespace zentil
