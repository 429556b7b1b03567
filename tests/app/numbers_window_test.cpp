// Typing numbers into words: what is typed is what is taken.
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QWheelEvent>

#include "app/widgets/sentence.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

using namespace zentil;
using test::Window;

namespace {

/// A shot with one patch, chosen, at Work.
struct AtWork {
  test::Folder folder;
  Window w;
  AtWork() : w(withPatch(folder), folder) {
    w.station("Work");
    w.session().chooseElement("e1");
    w.click("more");
    w.find("word:opacity");
  }
  static shot::Shot withPatch(const test::Folder& folder) {
    auto s = test::walkAlongWall(folder);
    test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
    return s;
  }
  double opacity() { return 100 * w.shot().elements[0].look.opacity.constant(); }
  QLineEdit* line() { return w.find<QLineEdit>("wordEdit"); }
  bool open() {
    QTest::qWait(30);  // a line that closes is gone with the next turn of the event loop
    for (auto* l : w.window.findChildren<QLineEdit*>("wordEdit"))
      if (l->isVisible()) return true;
    return false;
  }
};

}  // namespace

TEST(Numbers, AClickChoosesAllAndTheFirstDigitIsTaken) {
  AtWork at;
  at.w.click("word:opacity");
  auto* line = at.line();
  EXPECT_EQ(line->selectedText(), line->text());
  QTest::keyClicks(line, "42.5");
  QTest::keyClick(line, Qt::Key_Return);
  EXPECT_NEAR(at.opacity(), 42.5, 1e-9);
  EXPECT_FALSE(at.open());
  // By the keys alone: a digit on a word that has the keys begins the number.
  QTest::keyClick(at.w.find("word:opacity"), '7');
  QTest::keyClicks(at.line(), "0");
  QTest::keyClick(at.line(), Qt::Key_Return);
  EXPECT_NEAR(at.opacity(), 70, 1e-9);
}

TEST(Numbers, TabTakesAndGoesOnEscLeavesAClickElsewhereTakes) {
  AtWork at;
  at.w.click("word:opacity");
  QTest::keyClicks(at.line(), "31");
  QTest::keyClick(at.line(), Qt::Key_Tab);
  EXPECT_NEAR(at.opacity(), 31, 1e-9);
  EXPECT_NE(QApplication::focusWidget(), at.w.find("word:opacity"));
  if (at.open()) QTest::keyClick(at.line(), Qt::Key_Escape);

  at.w.click("word:opacity");
  QTest::keyClicks(at.line(), "99");
  QTest::keyClick(at.line(), Qt::Key_Escape);
  EXPECT_NEAR(at.opacity(), 31, 1e-9);
  EXPECT_FALSE(at.open());

  at.w.click("word:opacity");
  QTest::keyClicks(at.line(), "64");
  QTest::mouseClick(&at.w.window.cameraView(), Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
  EXPECT_NEAR(at.opacity(), 64, 1e-9);
  EXPECT_FALSE(at.open());
  // One undo for one number; leaving without a change is none.
  at.w.click("word:opacity");
  QTest::keyClick(at.line(), Qt::Key_Return);
  at.w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR(at.opacity(), 31, 1e-9);
}

TEST(Numbers, SumsAreUnderstoodAndWhatIsRefusedSaysWhy) {
  AtWork at;
  at.w.type("opacity", "12*2");
  EXPECT_NEAR(at.opacity(), 24, 1e-9);
  at.w.type("opacity", "100/3");
  EXPECT_NEAR(at.opacity(), 100.0 / 3, 1e-9);
  at.w.type("opacity", "much");
  EXPECT_NEAR(at.opacity(), 100.0 / 3, 1e-9);
  EXPECT_TRUE(at.w.notice().contains("much")) << at.w.notice().toStdString();
}

TEST(Numbers, TheWheelChangesANumberOnlyWhileItIsTyped) {
  AtWork at;
  const auto turn = [](QWidget* on) {
    QWheelEvent e(QPointF(4, 4), on->mapToGlobal(QPointF(4, 4)), {}, QPoint(0, 120), Qt::NoButton, Qt::NoModifier,
                  Qt::NoScrollPhase, false);
    QApplication::sendEvent(on, &e);
  };
  const double before = at.opacity();
  turn(at.w.find("word:opacity"));
  EXPECT_EQ(at.opacity(), before);
  at.w.click("word:opacity");
  QTest::keyClicks(at.line(), "50");
  QTest::keyClick(at.line(), Qt::Key_Return);
  at.w.click("word:opacity");
  turn(at.line());
  EXPECT_GT(at.opacity(), 50);
  QTest::keyClick(at.line(), Qt::Key_Escape);
}
