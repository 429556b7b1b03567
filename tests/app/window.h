#pragma once
#include <gtest/gtest.h>

#include <QContextMenuEvent>
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QtTest>

#include "app/window/main_window.h"
#include "core/shot/shot_json.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

namespace zentil::test {

/// Lets the window live until something is so; false when it is not in time.
inline bool waitFor(const std::function<bool()>& there, int ms = 90000) {
  QElapsedTimer clock;
  clock.start();
  while (!there() && clock.elapsed() < ms) QTest::qWait(20);
  return there();
}

/// Types a name into the file dialog that the next step opens.
inline void answerDialog(const std::string& name) {
  auto* timer = new QTimer;
  timer->setInterval(100);
  QObject::connect(timer, &QTimer::timeout, [timer, name] {
    auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
    auto* field = dialog ? dialog->findChild<QLineEdit*>("fileNameEdit") : nullptr;
    if (!field) return;
    // Without the focus, what is written does not take the place of what is chosen in the list.
    field->setFocus();
    if (!field->hasFocus()) return;
    timer->deleteLater();
    field->setText(QString::fromStdString(name));
    QTest::keyClick(field, Qt::Key_Return);
  });
  timer->start();
}

/// A window on a shot in a folder of its own, with what a hand does to it.
class Window {
  std::unique_ptr<app::MainWindow> own_;

 public:
  explicit Window(const shot::Shot& shot, const Folder& folder, size_t budget = size_t{1} << 30)
      : own_(new app::MainWindow(budget)), window(*own_) {
    file = (folder / "test.zentil").string();
    shot::save(shot, file);
    open();
  }
  explicit Window(const std::string& existing, size_t budget = size_t{1} << 30)
      : own_(new app::MainWindow(budget)), window(*own_), file(existing) {
    open();
  }
  /// Drives a window that was opened elsewhere.
  explicit Window(app::MainWindow& other) : window(other) {}
  ~Window() {
    // Leaving is not asked about in a test.
    QFile::remove(app::Session::autosaveOf(QString::fromStdString(file)));
  }

  const shot::Shot& shot() { return window.session().shot(); }
  app::Session& session() { return window.session(); }

  /// Lists and lines follow an edit some turns of the event loop later, on a busy machine a long time; what was sized
  /// anew is laid out by then, too.
  void laidOut() {
    QTest::qWait(60);
    const auto* soon = window.findChild<QTimer*>("shownSoon");
    waitFor([&] { return !soon || !soon->isActive(); }, 2000);
  }
  template <typename T = QWidget>
  T* find(const QString& name) {
    laidOut();
    T* there = nullptr;
    waitFor(
        [&] {
          for (T* w : window.findChildren<T*>(name))
            if (!there && w->isVisible()) there = w;
          return there != nullptr;
        },
        5000);
    if (there) return there;
    ADD_FAILURE() << name.toStdString() << " is not on the screen";
    throw std::runtime_error("not on the screen: " + name.toStdString());
  }
  void click(const QString& name) {
    if (isInMenu(name)) {
      click("moreActions");
      takeNamed("moreActionsMenu", name);
    } else {
      QTest::mouseClick(find(name), Qt::LeftButton);
    }
    isRead();
  }
  /// An action that has no place in the recipe bar: it is in the menu behind the last place.
  bool isInMenu(const QString& name) {
    laidOut();
    bool seen = false, behind = false;
    for (const auto* b : window.findChildren<QPushButton*>(name)) {
      const auto* places = qobject_cast<app::ActionPlaces*>(b->parentWidget());
      seen = seen || b->isVisible(), behind = behind || (places && places->isVisible());
    }
    return behind && !seen;
  }
  /// Waits until the files are read that were asked for.
  void isRead() {
    waitFor([&] { return !window.engine().jobs().reads(); });
  }
  void load(const app::FileWish& wish, const QString& file) {
    window.loadFile(wish, file);
    isRead();
  }
  void openAgain() {
    window.openShot(session().file());
    isRead();
  }
  void drop(const QStringList& files) {
    window.takeFiles(files);
    isRead();
  }
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) { QTest::keyClick(&window, static_cast<Qt::Key>(k), m); }
  void station(const QString& name) { click("station:" + name); }

  /// Mouse on the picture, in plate pixels of the shown frame.
  QPoint at(double x, double y) { return window.cameraView().plateToWidget({x, y}).toPoint(); }
  QPoint at(const Vec3& world) {
    QPointF p;
    EXPECT_TRUE(window.cameraView().toScreen(world, p));
    return p.toPoint();
  }
  void clickPicture(const QPoint& p, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::mouseMove(&window.cameraView(), p);
    QTest::mouseClick(&window.cameraView(), Qt::LeftButton, m, p);
  }
  void drag(QWidget* w, const QPoint& from, const QPoint& to, int steps = 8, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::mouseMove(w, from);
    QTest::mousePress(w, Qt::LeftButton, m, from);
    for (int i = 1; i <= steps; ++i) moveHeld(w, from + (to - from) * i / steps, m);
    QTest::mouseRelease(w, Qt::LeftButton, m, to);
  }
  /// QTest::mouseMove holds no button; a drag needs one held.
  static void moveHeld(QWidget* w, const QPoint& p, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QMouseEvent e(QEvent::MouseMove, p, w->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, m);
    QApplication::sendEvent(w, &e);
  }
  /// Types a number into a live word.
  void type(const QString& word, const QString& text) {
    auto* w = find("word:" + word);
    QTest::mouseDClick(w, Qt::LeftButton);
    auto* line = find<QLineEdit>("wordEdit");
    line->setText(text);
    QTest::keyClick(line, Qt::Key_Return);
  }
  /// Opens a live word's menu and takes the entry with this text.
  void choose(const QString& word, const QString& label) {
    click("word:" + word);
    take("wordMenu", label);
  }
  /// The same with its menu about keys.
  void keyMenu(const QString& word, const QString& label) {
    auto* b = find("word:" + word);
    QContextMenuEvent e(QContextMenuEvent::Mouse, QPoint(4, 4), b->mapToGlobal(QPoint(4, 4)));
    QApplication::sendEvent(b, &e);
    take("keyMenu", label);
  }
  void take(const QString& menuName, const QString& label) {
    takeWhere(menuName, label, [&](const QAction* a) { return a->text() == label; });
  }
  void takeNamed(const QString& menuName, const QString& name) {
    takeWhere(menuName, name, [&](const QAction* a) { return a->objectName() == name; });
  }
  void takeWhere(const QString& menuName, const QString& label, const std::function<bool(const QAction*)>& which) {
    auto* menu = find<QMenu>(menuName);
    for (QAction* a : menu->actions())
      if (which(a)) {
        QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(a).center());
        return;
      }
    ADD_FAILURE() << label.toStdString() << " is not in the menu";
  }
  /// Waits for the slow work that was begun.
  bool jobDone() {
    return waitFor([&] { return !window.engine().jobs().busy(); });
  }
  bool settle(int ms = static_cast<int>(1000 * test::seconds(240))) { return window.engine().settle(ms); }
  QString notice() {
    auto* l = window.findChild<QLabel*>("noticeText");
    return l && l->isVisible() ? l->text() : QString();
  }

  app::MainWindow& window;
  std::string file;

 private:
  void open() {
    window.resize(1280, 800);
    window.show();
    EXPECT_TRUE(QTest::qWaitForWindowExposed(&window));
    window.openShot(QString::fromStdString(file));
    isRead();
    EXPECT_EQ(session().file(), QFileInfo(QString::fromStdString(file)).absoluteFilePath());
    window.activateWindow();
    EXPECT_TRUE(QTest::qWaitForWindowActive(&window));
  }
};

/// The demo shot with its files where they are, its deliveries in the folder.
inline shot::Shot demoShot(const Folder& folder) {
  auto s = shot::load(kPainted);
  s.delivery.pattern = (folder / "deliver/boathouse.####.exr").string();
  return s;
}

}  // namespace zentil::test
