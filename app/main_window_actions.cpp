// What the window's keys and its menu do, and the page that lists them.
#include <QAction>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>

#include "app/main_window.h"
#include "app/station_parts.h"
#include "app/station_work.h"
#include "core/edit/keys.h"

namespace zentil::app {

void MainWindow::buildActions() {
  const auto add = [this](const QString& keys, const QString& what, const std::function<void()>& run,
                          int station = -1) {
    auto* a = new QAction(what, this);
    a->setShortcut(QKeySequence(keys));
    a->setObjectName("action:" + what);
    connect(a, &QAction::triggered, this, run);
    addAction(a);
    known_.append({QKeySequence(keys).toString(), what, station});
  };
  add("Space", tr("play or pause"), [this] { player_->toggle(); });
  add("Right", tr("next frame"), [this] { session_->setFrame(session_->frame() + 1); });
  add("Left", tr("frame before"), [this] { session_->setFrame(session_->frame() - 1); });
  add("Shift+Right", tr("ten frames on"), [this] { session_->setFrame(session_->frame() + 10); });
  add("Shift+Left", tr("ten frames back"), [this] { session_->setFrame(session_->frame() - 10); });
  add("Home", tr("first frame"), [this] { session_->setFrame(session_->shot().range.first); });
  add("End", tr("last frame"), [this] { session_->setFrame(session_->shot().range.last); });
  const auto toKey = [this](bool forwards) {
    const std::string thing = keyedThing(*session_);
    if (!thing.empty())
      session_->setFrame(edit::nextKey(edit::keysOf(session_->shot(), thing), session_->frame(), forwards));
  };
  add("Ctrl+Right", tr("next key of what is chosen"), [toKey] { toKey(true); });
  add("Ctrl+Left", tr("key before"), [toKey] { toKey(false); });
  add("Ctrl+Z", tr("undo"), [this] { session_->undo(); });
  add("Ctrl+Shift+Z", tr("redo"), [this] { session_->redo(); });
  add("Ctrl+O", tr("open a shot"), [this] { askFile("shot"); });
  add("Ctrl+N", tr("new shot from a plate"), [this] { askFile("plate"); });
  add("Ctrl+S", tr("save"), [this] { save(); });
  add("Ctrl+Shift+S", tr("save as"), [this] { saveAs(); });
  add("G", tr("camera, set, both"), [this] {
    session_->setViewing(static_cast<Viewing>((static_cast<int>(session_->viewing()) + 1) % 3));
    refreshBar();
  });
  add("L", tr("straight or as shot"), [this] {
    View v = session_->view();
    v.straight = !v.straight;
    session_->setView(v);
  });
  add("Shift+L", tr("straight lines over the picture, and through the pointer"), [this] {
    View v = session_->view();
    v.grid = !v.grid;
    session_->setView(v);
  });
  add("B", tr("wipe between before and after"),
      [this] { setCompare(session_->view().compare == Compare::Wipe ? Compare::None : Compare::Wipe); });
  add("X", tr("difference to the plate"),
      [this] { setCompare(session_->view().compare == Compare::Difference ? Compare::None : Compare::Difference); });
  add("K", tr("flicker between before and after"),
      [this] { setCompare(session_->view().compare == Compare::Flicker ? Compare::None : Compare::Flicker); });
  add("H", tr("hide or show what is drawn over the picture"), [this] {
    View v = session_->view();
    v.overlays = !v.overlays;
    session_->setView(v);
  });
  add("0", tr("fit the picture"), [this] {
    camera_->fit();
    if (set_->isVisible()) set_->frameAll();
  });
  add("9", tr("pixel for pixel"),
      [this] { camera_->zoomTo(1, QPointF(camera_->width() / 2.0, camera_->height() / 2.0)); });
  for (int i = 0; i < 7; ++i)
    add(QString("Alt+%1").arg(i + 1), tr("go to %1").arg(titleOf(static_cast<Station>(i))),
        [this, i] { session_->setStation(static_cast<Station>(i)); });
  add(
      "A", tr("aim a plane"),
      [this] {
        session_->setStation(Station::Set), session_->setTool(session_->tool() == Tool::Tile ? Tool::Pick : Tool::Tile);
      },
      static_cast<int>(Station::Set));
  add(
      "P", tr("new patch from this frame"), [this] { WorkBody::addElement(session_, "held frame"); },
      static_cast<int>(Station::Work));
  add(
      "C", tr("new checker"), [this] { WorkBody::addElement(session_, "checker"); }, static_cast<int>(Station::Work));
  add(
      "D", tr("draw a matte for the chosen element"),
      [this] {
        session_->setStation(Station::Work);
        session_->setTool(Tool::Matte);
      },
      static_cast<int>(Station::Work));
  add(
      "U", tr("take the patch from this frame"), [this] { WorkBody::useFrame(session_); },
      static_cast<int>(Station::Work));
  add(
      "N", tr("draw a line along something straight"),
      [this] {
        session_->setStation(Station::Lens);
        session_->setTool(session_->tool() == Tool::Line ? Tool::Pick : Tool::Line);
      },
      static_cast<int>(Station::Lens));
  const auto track = [this](Tool tool) {
    session_->setStation(Station::Track);
    session_->setTool(session_->tool() == tool ? Tool::Pick : tool);
  };
  add(
      "M", tr("place a tracker"), [track] { track(Tool::Tracker); }, static_cast<int>(Station::Track));
  add(
      "R", tr("draw a region that is flat"), [track] { track(Tool::Region); }, static_cast<int>(Station::Track));
  add(
      "E", tr("errors of the tracks, enlarged"),
      [this] {
        View v = session_->view();
        v.errors = !v.errors;
        session_->setView(v);
      },
      static_cast<int>(Station::Camera));
  add(
      "W", tr("how well each part of the frame is held"),
      [this] {
        View v = session_->view();
        v.held = !v.held;
        session_->setView(v);
      },
      static_cast<int>(Station::Camera));
  add("Ctrl+Q", tr("quit"), [this] { close(); });
  add("?", tr("these shortcuts"), [this] { showShortcuts(); });
}

QMenu* MainWindow::mainMenu() {
  auto* m = new QMenu(this);
  m->setAttribute(Qt::WA_DeleteOnClose);
  const auto add = [&](QMenu* to, const QString& text, const QString& keys, const std::function<void()>& run) {
    QAction* a = to->addAction(text + (keys.isEmpty() ? "" : "\t" + keys));
    connect(a, &QAction::triggered, this, run);
    return a;
  };
  add(m, tr("New shot from a plate…"), "Ctrl+N", [this] { askFile("plate"); });
  add(m, tr("Open a shot…"), "Ctrl+O", [this] { askFile("shot"); });
  QMenu* recent = m->addMenu(tr("Recent shots"));
  for (const QString& f : session_->recent())
    add(recent, QFileInfo(f).completeBaseName() + "  " + QFileInfo(f).absolutePath(), {}, [this, f] {
      if (mayLeave()) session_->open(f);
    });
  recent->setEnabled(!recent->isEmpty());
  add(m, tr("Save"), "Ctrl+S", [this] { save(); });
  add(m, tr("Save as…"), "Ctrl+Shift+S", [this] { saveAs(); });
  m->addSeparator();
  add(m,
      session_->history().canUndo() ? tr("Undo: %1").arg(QString::fromStdString(session_->history().undoWords()))
                                    : tr("Undo"),
      "Ctrl+Z", [this] { session_->undo(); })
      ->setEnabled(session_->history().canUndo());
  add(m,
      session_->history().canRedo() ? tr("Redo: %1").arg(QString::fromStdString(session_->history().redoWords()))
                                    : tr("Redo"),
      "Ctrl+Shift+Z", [this] { session_->redo(); })
      ->setEnabled(session_->history().canRedo());
  m->addSeparator();
  add(m, tr("Shortcuts"), "?", [this] { showShortcuts(); });
  add(m, tr("Quit"), "Ctrl+Q", [this] { close(); });
  return m;
}

void MainWindow::showShortcuts() {
  if (shortcuts_) {
    shortcuts_->deleteLater();
    shortcuts_ = nullptr;
    return;
  }
  shortcuts_ = new QFrame(centralWidget());
  shortcuts_->setObjectName("shortcuts");
  auto* grid = new QGridLayout(shortcuts_);
  grid->setContentsMargins(24, 18, 24, 18);
  grid->setHorizontalSpacing(18);
  grid->setVerticalSpacing(5);
  auto* head = new QLabel(tr("Shortcuts at %1").arg(titleOf(session_->station())), shortcuts_);
  head->setProperty("title", true);
  grid->addWidget(head, 0, 0, 1, 4);
  int n = 0;
  const int here = static_cast<int>(session_->station());
  QList<Shortcut> list;
  for (const auto& s : known_)
    if (s.station == here) list << s;
  for (const auto& s : known_)
    if (s.station < 0 && !s.keys.startsWith("Alt+")) list << s;
  list << Shortcut{"Alt+1 … Alt+7", tr("go to a station"), -1} << Shortcut{"Tab", tr("next word of the recipe"), -1}
       << Shortcut{"Esc", tr("cancel a drag, put the tool down"), -1}
       << Shortcut{tr("middle drag"), tr("move the picture; wheel zooms"), -1};
  const int half = (static_cast<int>(list.size()) + 1) / 2;
  for (const auto& s : list) {
    const int row = 1 + n % half, column = n / half * 2;
    auto* k = new QLabel(s.keys, shortcuts_);
    k->setProperty("fact", "true");
    auto* w = new QLabel(s.what, shortcuts_);
    grid->addWidget(k, row, column);
    grid->addWidget(w, row, column + 1);
    ++n;
  }
  shortcuts_->adjustSize();
  shortcuts_->show();
  shortcuts_->raise();
  placeOverlays();
}

}  // namespace zentil::app
