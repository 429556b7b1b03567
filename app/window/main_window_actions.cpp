// What the window's keys and its menu do, and the page that lists them.
#include <QAction>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <set>

#include "app/document/things.h"
#include "app/stations/station_set.h"
#include "app/stations/station_work.h"
#include "app/widgets/help_panel.h"
#include "app/widgets/station_parts.h"
#include "app/window/main_window.h"
#include "core/edit/keys.h"

namespace zentil::app {

void MainWindow::add(const QString& keys, const QString& what, const std::function<void()>& run, int station) {
  auto* a = new QAction(what, this);
  a->setShortcut(QKeySequence(keys));
  a->setObjectName("action:" + what);
  connect(a, &QAction::triggered, this, [this, keys, what, run, station] {
    // A key of one station does nothing at the others: nobody is taken away from where they work.
    if (station < 0 || static_cast<int>(session_->station()) == station)
      run();
    else
      session_->say(
          tr("%1 is for %2: %3 (Alt+%4).").arg(keys, titleOf(static_cast<Station>(station)), what).arg(station + 1),
          false);
  });
  addAction(a);
  known_.append({QKeySequence(keys).toString(), what, station});
}

void MainWindow::buildActions() {
  buildFrameActions();
  buildFileActions();
  buildViewActions();
  buildStationActions();
  buildThingActions();
  add("Ctrl+Q", tr("quit"), [this] { close(); });
  add("F1", tr("help for this station"), [this] { toggleHelp(); });
  add("?", tr("these shortcuts"), [this] { showShortcuts(); });
}

void MainWindow::buildFrameActions() {
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
  add("Ctrl+Right", tr("next key of the selection"), [toKey] { toKey(true); });
  add("Ctrl+Left", tr("key before"), [toKey] { toKey(false); });
}

void MainWindow::buildFileActions() {
  add("Ctrl+Z", tr("undo"), [this] { session_->undo(); });
  add("Ctrl+Shift+Z", tr("redo"), [this] { session_->redo(); });
  add("Ctrl+O", tr("open a shot"), [this] { askFile({FileWish::For::Shot}); });
  add("Ctrl+N", tr("new shot from a plate"), [this] { askFile({FileWish::For::NewShot}); });
  add("Ctrl+S", tr("save"), [this] { save(); });
  add("Ctrl+Shift+S", tr("save as"), [this] { saveAs(); });
}

void MainWindow::buildViewActions() {
  add("G", tr("camera, set, both"), [this] {
    session_->setViewing(static_cast<Viewing>((static_cast<int>(session_->viewing()) + 1) % 3));
    refreshBar();
  });
  add("L", tr("straight or as shot"), [this] {
    View v = session_->view();
    v.straight = !v.straight && !v.delivered, v.delivered = false;
    if (session_->shot().projection != shot::Projection::Sphere) v.steady = false;
    session_->setView(v);
  });
  add("Shift+L", tr("straight lines over the picture"), [this] {
    View v = session_->view();
    v.grid = !v.grid;
    session_->setView(v);
  });
  add("B", tr("wipe between before and after"),
      [this] { setCompare(session_->view().compare == Compare::Wipe ? Compare::None : Compare::Wipe); });
  add("Shift+B", tr("compare with the plate, or with another frame reprojected through the set"),
      [this] { compareWith(session_->view().against ? std::nullopt : std::optional(session_->shot().range.first)); });
  add("X", tr("difference to the plate"),
      [this] { setCompare(session_->view().compare == Compare::Difference ? Compare::None : Compare::Difference); });
  add("K", tr("flicker between before and after"),
      [this] { setCompare(session_->view().compare == Compare::Flicker ? Compare::None : Compare::Flicker); });
  add("H", tr("hide or show the overlays"), [this] {
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
}

void MainWindow::buildStationActions() {
  for (int i = 0; i < 7; ++i)
    add(QString("Alt+%1").arg(i + 1), tr("go to %1").arg(titleOf(static_cast<Station>(i))),
        [this, i] { session_->setStation(static_cast<Station>(i)); });
  add(
      "A", tr("aim a plane"), [this] { SetBody::aimPlane(session_); }, static_cast<int>(Station::Set));
  add(
      "P", tr("new patch from this frame"), [this] { WorkBody::addElement(session_, "patch"); },
      static_cast<int>(Station::Work));
  add(
      "C", tr("new checker"), [this] { WorkBody::addElement(session_, "checker"); }, static_cast<int>(Station::Work));
  add(
      "D", tr("draw a matte for the chosen element"), [this] { session_->setTool(Tool::Matte); },
      static_cast<int>(Station::Work));
  add(
      "U", tr("take the patch from this frame"), [this] { WorkBody::useFrame(session_); },
      static_cast<int>(Station::Work));
  add(
      "N", tr("draw a line along something straight"),
      [this] { session_->setTool(session_->tool() == Tool::Line ? Tool::Pick : Tool::Line); },
      static_cast<int>(Station::Lens));
  const auto track = [this](Tool tool) { session_->setTool(session_->tool() == tool ? Tool::Pick : tool); };
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
}

void MainWindow::buildThingActions() {
  Things& things = Things::of(session_);
  add("F2", tr("rename the selection"), [&things] { things.rename(); });
  add("Ctrl+D", tr("duplicate the selection"), [&things] { things.duplicate(); });
  add("Ctrl+C", tr("copy the selection"), [&things] { things.copy(); });
  add("Ctrl+V", tr("paste, also from another shot"), [&things] { things.paste(); });
  add("Ctrl+A", tr("choose all of the list"), [&things] { things.chooseAll(); });
  add("Alt+Up", tr("earlier in its list"), [&things] { things.shift(-1); });
  add("Alt+Down", tr("later in its list"), [&things] { things.shift(1); });
  known_.append({"Delete", tr("remove the selection"), -1});
}

QMenu* MainWindow::mainMenu() {
  auto* m = new QMenu(this);
  m->setAttribute(Qt::WA_DeleteOnClose);
  const auto add = [&](QMenu* to, const QString& text, const QString& keys, const std::function<void()>& run) {
    QAction* a = to->addAction(text + (keys.isEmpty() ? "" : "\t" + keys));
    connect(a, &QAction::triggered, this, run);
    return a;
  };
  add(m, tr("New shot from a plate…"), "Ctrl+N", [this] { askFile({FileWish::For::NewShot}); });
  add(m, tr("Open a shot…"), "Ctrl+O", [this] { askFile({FileWish::For::Shot}); });
  QMenu* recent = m->addMenu(tr("Recent shots"));
  for (const QString& f : session_->recent())
    add(recent, QFileInfo(f).completeBaseName() + "  " + QFileInfo(f).absolutePath(), {}, [this, f] {
      if (mayLeave()) openShot(f);
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
  add(m, tr("Help"), "F1", [this] { toggleHelp(); });
  add(m, tr("Shortcuts"), "?", [this] { showShortcuts(); });
  add(m, tr("Quit"), "Ctrl+Q", [this] { close(); });
  return m;
}

void MainWindow::openPictureMenu(const QPoint& place) {
  auto* m = new QMenu(this);
  m->setObjectName("pictureMenu");
  m->setAttribute(Qt::WA_DeleteOnClose);
  // What can be begun here, then what is done to what is chosen, then how the picture is looked at.
  const auto addKnown = [&](const auto& which) {
    for (const auto& k : known_)
      if (which(k))
        for (QAction* a : actions())
          if (a->shortcut().toString() == k.keys) m->addAction(a);
    m->addSeparator();
  };
  const int here = static_cast<int>(session_->station());
  addKnown([&](const Shortcut& k) { return k.station == here; });
  Things::of(session_).addTo(m);
  m->addSeparator();
  addKnown([](const Shortcut& k) { return QStringList{"0", "9", "L", "H", "G", "B"}.contains(k.keys); });
  m->popup(place);
}

void MainWindow::showShortcuts() {
  if (shortcuts_)
    hideShortcuts();
  else
    buildShortcuts();
}

void MainWindow::toggleHelp() {
  if (help_) {
    help_->deleteLater();
    help_ = nullptr;
    camera_->setFocus();
    return;
  }
  auto* help = new HelpPanel(session_, centralWidget());
  connect(help, &HelpPanel::closed, this, &MainWindow::toggleHelp);
  help_ = help;
  placeOverlays();
  help_->show();
  help_->raise();
  help_->setFocus();
}

void MainWindow::hideShortcuts() {
  if (shortcuts_) shortcuts_->deleteLater();
  shortcuts_ = nullptr;
}

void MainWindow::buildShortcuts() {
  hideShortcuts();
  shortcuts_ = new QFrame(centralWidget());
  shortcuts_->setObjectName("shortcuts");
  // On a small screen it scrolls.
  auto* area = new QScrollArea(shortcuts_);
  area->setFrameShape(QFrame::NoFrame);
  area->setWidgetResizable(true);
  auto* page = new QWidget(area);
  page->setObjectName("shortcutPage");
  auto* frame = new QVBoxLayout(shortcuts_);
  frame->setContentsMargins(6, 6, 6, 6);
  frame->addWidget(area);
  auto* grid = new QGridLayout(page);
  grid->setContentsMargins(18, 12, 18, 12);
  grid->setHorizontalSpacing(18);
  grid->setVerticalSpacing(5);
  auto* head = new QLabel(tr("Shortcuts at %1").arg(titleOf(session_->station())), page);
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
       << Shortcut{"Esc", tr("cancel a drag, leave the tool"), -1};
  const auto mouse = [&](const QString& act, const QString& what) { list << Shortcut{act, what, -1}; };
  mouse(tr("middle drag, Ctrl-drag"), tr("move the picture; the wheel zooms"));
  mouse(tr("right button"), tr("a menu: card, picture, set, strip"));
  mouse(tr("double click"), tr("on a name: rename"));
  mouse(tr("Ctrl-, Shift-click"), tr("on cards: choose several"));
  mouse(tr("drag"), tr("a card: its order; a bar's end: its frames"));
  mouse(tr("drag, wheel"), tr("a word's number, exposure, gamma"));
  switch (session_->station()) {
    case Station::Lens:
    case Station::Work:
      mouse(tr("Return, Backspace"), tr("close the outline, remove the last point"));
      mouse(tr("double click"), tr("on an outline: another point"));
      break;
    case Station::Set:
      mouse(tr("drag"), tr("choose points in a rectangle; Alt: in a loop"));
      mouse(tr("Shift-click, Ctrl-click"), tr("one point more, one less"));
      break;
    case Station::Plate:
    case Station::Track:
    case Station::Camera:
    case Station::Deliver:
      break;
  }
  const int half = (static_cast<int>(list.size()) + 1) / 2;
  for (const auto& s : list) {
    const int row = 1 + n % half, column = n / half * 2;
    auto* k = new QLabel(s.keys, page);
    k->setProperty("fact", "true");
    auto* w = new QLabel(s.what, page);
    grid->addWidget(k, row, column);
    grid->addWidget(w, row, column + 1);
    ++n;
  }
  area->setWidget(page);
  const QSize wanted = page->sizeHint() + QSize(14, 14);
  const bool tall = wanted.height() > height() - 60;
  shortcuts_->resize(std::min(wanted.width() + (tall ? 16 : 0), width() - 24),
                     std::min(wanted.height(), height() - 60));
  shortcuts_->show();
  shortcuts_->raise();
  placeOverlays();
}

void MainWindow::offer(QPushButton* at, const std::vector<Choice>& choices) {
  auto* m = new QMenu(this);
  m->setAttribute(Qt::WA_DeleteOnClose);
  for (const Choice& c : choices) {
    if (c.name.isEmpty()) {
      m->addSeparator();
      continue;
    }
    QAction* a = m->addAction(c.name);
    a->setCheckable(true);
    a->setChecked(c.now);
    connect(a, &QAction::triggered, this, c.take);
  }
  m->popup(at->mapToGlobal(QPoint(0, -m->sizeHint().height())));
}

std::vector<MainWindow::Choice> MainWindow::channelsOnOffer() {
  const QStringList names{tr("colour"), tr("red"), tr("green"), tr("blue"), tr("elements' alpha")};
  std::vector<Choice> out;
  for (int i = 0; i < names.size(); ++i)
    out.push_back({names[i], i == static_cast<int>(session_->view().channel), [this, i] {
                     View v = session_->view();
                     v.channel = static_cast<Channel>(i);
                     session_->setView(v);
                   }});
  return out;
}

std::vector<MainWindow::Choice> MainWindow::comparisonsOnOffer() {
  const View& v = session_->view();
  const QStringList ways{tr("no comparison"), tr("wipe"), tr("difference"), tr("flicker")};
  std::vector<Choice> out;
  for (int i = 0; i < ways.size(); ++i)
    out.push_back({ways[i], i == static_cast<int>(v.compare), [this, i] { setCompare(static_cast<Compare>(i)); }});
  out.push_back({});
  out.push_back({tr("with the plate"), !v.against, [this] { compareWith({}); }});
  const auto& range = session_->shot().range;
  std::set<int> frames{range.first, session_->frame(), range.last};
  if (v.against) frames.insert(*v.against);
  for (const int f : frames)
    out.push_back(
        {tr("with frame %1, reprojected through the set").arg(f), v.against == f, [this, f] { compareWith(f); }});
  return out;
}

void MainWindow::setCompare(Compare c) {
  View v = session_->view();
  v.compare = c;
  session_->setView(v);
}

void MainWindow::compareWith(std::optional<int> frame) {
  View v = session_->view();
  if (frame && !session_->shot().hasCamera(*frame)) {
    session_->say(tr("There is no camera on frame %1: solve it, or load one").arg(*frame));
    return;
  }
  v.against = frame;
  if (v.compare == Compare::None) v.compare = Compare::Wipe;
  session_->setView(v);
}

}  // namespace zentil::app
