#include "app/main_window.h"

#include <QAction>
#include <QApplication>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <filesystem>

#include "app/station_work.h"
#include "app/style.h"
#include "core/base/error.h"
#include "core/build/cg.h"
#include "core/camera/camera_file.h"
#include "core/lens/lens_file.h"

namespace zentil::app {
namespace {

QLabel* quiet(QWidget* parent, const QString& name) {
  auto* l = new QLabel(parent);
  l->setObjectName(name);
  l->setProperty("quiet", true);
  return l;
}

QPushButton* plainButton(QWidget* parent, const QString& name, const QString& text, const QString& tip,
                         bool checkable) {
  auto* b = new QPushButton(text, parent);
  b->setObjectName(name);
  b->setProperty("plain", true);
  b->setCheckable(checkable);
  b->setToolTip(tip);
  b->setFocusPolicy(Qt::TabFocus);
  return b;
}

/// A number in the bar under the picture that is dragged or wheeled.
class BarNumber : public QObject {
 public:
  BarNumber(QPushButton* b, double step, std::function<double()> get, std::function<void(double)> set)
      : QObject(b), step_(step), get_(std::move(get)), set_(std::move(set)) {
    b->installEventFilter(this);
    b->setCursor(Qt::SizeHorCursor);
  }

 protected:
  bool eventFilter(QObject*, QEvent* e) override {
    if (e->type() == QEvent::Wheel) {
      set_(get_() + static_cast<QWheelEvent*>(e)->angleDelta().y() / 120.0 * step_);
      return true;
    }
    if (e->type() == QEvent::MouseButtonPress)
      from_ = static_cast<QMouseEvent*>(e)->globalPosition().x(), start_ = get_();
    if (e->type() == QEvent::MouseMove && static_cast<QMouseEvent*>(e)->buttons() & Qt::LeftButton) {
      set_(start_ + std::round((static_cast<QMouseEvent*>(e)->globalPosition().x() - from_) / 6) * step_);
      return true;
    }
    if (e->type() == QEvent::MouseButtonDblClick) {
      set_(step_ > 0.2 ? 0 : 1);
      return true;
    }
    return false;
  }

 private:
  double step_, from_ = 0, start_ = 0;
  std::function<double()> get_;
  std::function<void(double)> set_;
};

bool isOneOf(const QString& file, std::initializer_list<const char*> endings) {
  for (const char* e : endings)
    if (file.endsWith(QLatin1String(e), Qt::CaseInsensitive)) return true;
  return false;
}

}  // namespace

MainWindow::MainWindow(size_t budgetBytes)
    : session_(new Session(this)), engine_(new Engine(session_, budgetBytes, this)) {
  setWindowTitle("Zentil");
  setWindowIcon(QIcon(":/icons/zentil.svg"));
  resize(1280, 800);
  setAcceptDrops(true);
  auto* central = new QWidget(this);
  central->setObjectName("window");
  auto* v = new QVBoxLayout(central);
  v->setContentsMargins(0, 0, 0, 0);
  v->setSpacing(0);
  buildTop(v);
  auto* h = new QHBoxLayout;
  h->setSpacing(0);
  v->addLayout(h, 1);
  ledger_ = new Ledger(session_, engine_, central);
  h->addWidget(ledger_);
  auto* right = new QVBoxLayout;
  right->setSpacing(0);
  h->addLayout(right, 1);
  auto* pictures = new QHBoxLayout;
  pictures->setSpacing(2);
  camera_ = new CameraView(session_, engine_, central);
  set_ = new SetView(session_, engine_, central);
  set_->hide();
  pictures->addWidget(camera_, 1);
  pictures->addWidget(set_, 1);
  right->addLayout(pictures, 1);
  player_ = new Player(session_, engine_, camera_, this);
  right->addWidget(buildBar());
  strip_ = new Strip(session_, engine_, central);
  strip_->setFixedHeight(148);
  right->addWidget(strip_);
  setCentralWidget(central);

  notice_ = new QFrame(central);
  notice_->setObjectName("notice");
  auto* nl = new QHBoxLayout(notice_);
  nl->setContentsMargins(12, 8, 8, 8);
  noticeText_ = new QLabel(notice_);
  noticeText_->setObjectName("noticeText");
  noticeText_->setWordWrap(true);
  noticeText_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  nl->addWidget(noticeText_, 1);
  auto* close = new QToolButton(notice_);
  close->setIcon(QIcon(":/icons/remove.svg"));
  connect(close, &QToolButton::clicked, notice_, &QWidget::hide);
  nl->addWidget(close, 0, Qt::AlignTop);
  notice_->hide();
  noticeTimer_.setSingleShot(true);
  connect(&noticeTimer_, &QTimer::timeout, notice_, &QWidget::hide);

  recovery_ = new QFrame(central);
  recovery_->setObjectName("notice");
  auto* rl = new QHBoxLayout(recovery_);
  rl->setContentsMargins(12, 6, 8, 6);
  auto* rt = new QLabel(tr("There are edits of this shot that were not saved."), recovery_);
  auto* take = new QPushButton(tr("Recover them"), recovery_);
  take->setObjectName("recover");
  auto* leave = new QPushButton(tr("Discard"), recovery_);
  leave->setObjectName("discardRecovery");
  rl->addWidget(rt, 1);
  rl->addWidget(take);
  rl->addWidget(leave);
  recovery_->hide();
  connect(take, &QPushButton::clicked, session_, &Session::recover);
  connect(leave, &QPushButton::clicked, session_, &Session::forgetRecovery);

  buildActions();
  connect(ledger_, &Ledger::wantsFile, this, &MainWindow::askFile);
  connect(session_, &Session::notice, this, &MainWindow::showNotice);
  connect(engine_, &Engine::deliveryEnded, this,
          [this](bool complete, const QString& words) { showNotice(words, !complete); });
  for (auto signal : {&Session::shotChanged, &Session::documentReplaced})
    connect(session_, signal, this, &MainWindow::refreshTop);
  connect(session_, &Session::documentReplaced, this, &MainWindow::refreshRecovery);
  connect(session_, &Session::frameChanged, this, &MainWindow::refreshTop);
  connect(session_, &Session::viewChanged, this, &MainWindow::refreshBar);
  connect(player_, &Player::changed, this, &MainWindow::refreshPlaying);
  for (WorldView* w : {static_cast<WorldView*>(camera_), static_cast<WorldView*>(set_)})
    connect(w, &WorldView::pointing, this, [this, w](const QPointF& at) {
      if (w != camera_) {
        value_->clear();
        return;
      }
      const Vec2 p = camera_->widgetToPlate(at);
      float c[4];
      QString t = QString("%1, %2").arg(p.x(), 0, 'f', 1).arg(p.y(), 0, 'f', 1);
      if (engine_->valueAt(session_->frame(), p, c))
        t += QString(" · %1 %2 %3").arg(c[0], 0, 'f', 3).arg(c[1], 0, 'f', 3).arg(c[2], 0, 'f', 3);
      value_->setText(t);
    });
  refreshTop();
  refreshBar();
  refreshPlaying();
}

void MainWindow::buildTop(QVBoxLayout* v) {
  auto* top = new QWidget(this);
  top->setObjectName("topBar");
  top->setAttribute(Qt::WA_StyledBackground);
  top->setFixedHeight(32);
  auto* h = new QHBoxLayout(top);
  h->setContentsMargins(8, 0, 14, 0);
  h->setSpacing(14);
  auto* menu = new QToolButton(top);
  menu->setObjectName("mainMenu");
  menu->setIcon(QIcon(":/icons/menu.svg"));
  menu->setToolTip(tr("Open, save, undo, shortcuts"));
  menu->setPopupMode(QToolButton::InstantPopup);
  connect(menu, &QToolButton::pressed, this, [this, menu] {
    QMenu* m = mainMenu();
    m->popup(menu->mapToGlobal(QPoint(0, menu->height())));
  });
  h->addWidget(menu);
  name_ = new QLabel(top);
  name_->setObjectName("shotName");
  h->addWidget(name_);
  plate_ = quiet(top, "plateWords");
  h->addWidget(plate_);
  h->addStretch(1);
  undo_ = quiet(top, "undoWords");
  h->addWidget(undo_);
  frame_ = new QLabel(top);
  frame_->setObjectName("frameNow");
  h->addWidget(frame_);
  range_ = quiet(top, "rangeWords");
  h->addWidget(range_);
  v->addWidget(top);
}

QWidget* MainWindow::buildBar() {
  auto* bar = new QWidget(this);
  bar->setFixedHeight(32);
  auto* h = new QHBoxLayout(bar);
  h->setContentsMargins(10, 0, 12, 0);
  h->setSpacing(2);
  const auto add = [&](QPushButton*& b, const QString& name, const QString& text, const QString& tip, bool checkable) {
    b = plainButton(bar, name, text, tip, checkable);
    h->addWidget(b);
  };
  const auto gap = [&] {
    auto* l = new QLabel("|", bar);
    l->setProperty("quiet", true);
    h->addWidget(l);
  };
  play_ = plainButton(bar, "play", {}, tr("Play (Space)"), false);
  h->addWidget(play_);
  connect(play_, &QPushButton::clicked, player_, &Player::toggle);
  add(through_, "viewCamera", tr("Through camera"), tr("The shot through its camera (G goes around the views)"), true);
  add(setButton_, "viewSet", tr("Set"), tr("The set from anywhere"), true);
  add(both_, "viewBoth", tr("Both"), tr("Side by side"), true);
  connect(through_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Camera), refreshBar(); });
  connect(setButton_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Set), refreshBar(); });
  connect(both_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Both), refreshBar(); });
  gap();
  add(asShot_, "asShot", tr("as shot"), tr("As the lens made it (L)"), true);
  add(straight_, "straight", tr("straight"), tr("Without the lens's distortion (L)"), true);
  connect(asShot_, &QPushButton::clicked, this, [this] {
    View v = session_->view();
    v.straight = false;
    session_->setView(v);
    refreshBar();
  });
  connect(straight_, &QPushButton::clicked, this, [this] {
    View v = session_->view();
    v.straight = true;
    session_->setView(v);
    refreshBar();
  });
  gap();
  add(channel_, "channel", {}, tr("Which channels are shown"), false);
  add(compare_, "compare", {}, tr("Compare with the plate: B wipe, X difference, K flicker"), false);
  const auto choose = [this](QPushButton* b, const QStringList& names, const std::function<void(int)>& take) {
    connect(b, &QPushButton::clicked, this, [this, b, names, take] {
      auto* m = new QMenu(this);
      m->setAttribute(Qt::WA_DeleteOnClose);
      for (int i = 0; i < names.size(); ++i)
        connect(m->addAction(names[i]), &QAction::triggered, this, [take, i] { take(i); });
      m->popup(b->mapToGlobal(QPoint(0, -m->sizeHint().height())));
    });
  };
  choose(channel_, {tr("colour"), tr("red"), tr("green"), tr("blue"), tr("elements' alpha")}, [this](int i) {
    View v = session_->view();
    v.channel = static_cast<Channel>(i);
    session_->setView(v);
  });
  choose(compare_, {tr("no comparison"), tr("wipe"), tr("difference"), tr("flicker")},
         [this](int i) { setCompare(static_cast<Compare>(i)); });
  gap();
  add(exposure_, "exposure", {}, tr("Exposure in stops, for looking only: drag or wheel; double-click for 0"), false);
  add(gamma_, "gamma", {}, tr("Gamma, for looking only: drag or wheel; double-click for 1"), false);
  new BarNumber(
      exposure_, 0.25, [this] { return session_->view().exposure; },
      [this](double d) {
        View v = session_->view();
        v.exposure = std::clamp(d, -12.0, 12.0);
        session_->setView(v);
      });
  new BarNumber(
      gamma_, 0.05, [this] { return session_->view().gamma; },
      [this](double d) {
        View v = session_->view();
        v.gamma = std::clamp(d, 0.2, 5.0);
        session_->setView(v);
      });
  h->addStretch(1);
  rate_ = quiet(bar, "rate");
  h->addWidget(rate_);
  h->addSpacing(10);
  value_ = quiet(bar, "pixelValue");
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  value_->setFont(mono);
  h->addWidget(value_);
  return bar;
}

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
    add(QString("Alt+%1").arg(i + 1), tr("go to %1").arg(nameOf(static_cast<Station>(i))),
        [this, i] { session_->setStation(static_cast<Station>(i)); });
  add(
      "A", tr("aim a plane"),
      [this] {
        session_->setStation(Station::Set), session_->setTool(session_->tool() == Tool::Tile ? Tool::Pick : Tool::Tile);
      },
      static_cast<int>(Station::Set));
  add(
      "P", tr("new patch from this frame"), [this] { WorkBody::addElement(session_, element::Kind::Patch); },
      static_cast<int>(Station::Work));
  add(
      "C", tr("new checker"), [this] { WorkBody::addElement(session_, element::Kind::Checker); },
      static_cast<int>(Station::Work));
  add(
      "D", tr("draw a matte for the chosen element"),
      [this] {
        session_->setStation(Station::Work);
        session_->setTool(Tool::Matte);
      },
      static_cast<int>(Station::Work));
  add(
      "U", tr("take the patch from this frame"),
      [this] {
        const std::string id = session_->element().toStdString();
        const int f = session_->frame();
        session_->change(tr("use frame %1").arg(f), [&](shot::Shot& s) {
          if (auto* e = s.element(id)) e->sourceFrame = f, e->picture.clear();
        });
      },
      static_cast<int>(Station::Work));
  add(
      "N", tr("draw a line along something straight"),
      [this] {
        session_->setStation(Station::Lens);
        session_->setTool(session_->tool() == Tool::Line ? Tool::Pick : Tool::Line);
      },
      static_cast<int>(Station::Lens));
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

void MainWindow::setCompare(Compare c) {
  View v = session_->view();
  v.compare = c;
  session_->setView(v);
}

void MainWindow::refreshTop() {
  const auto& s = session_->shot();
  name_->setText((s.plate.empty() ? tr("no shot") : QString::fromStdString(s.name)) +
                 (session_->isModified() ? " •" : ""));
  plate_->setText(s.plate.empty()
                      ? QString()
                      : tr("%1 · %2×%3 · %4 fps")
                            .arg(QString::fromStdString(std::filesystem::path(s.plate.pattern).filename().string()))
                            .arg(s.plate.width)
                            .arg(s.plate.height)
                            .arg(s.plate.fps, 0, 'g', 5));
  undo_->setText(session_->history().canUndo()
                     ? tr("undo: %1").arg(QString::fromStdString(session_->history().undoWords()))
                     : QString());
  frame_->setText(s.plate.empty() ? QString() : QString::number(session_->frame()));
  range_->setText(s.plate.empty() ? QString() : tr("of %1–%2").arg(s.range.first).arg(s.range.last));
}

void MainWindow::refreshBar() {
  const View& v = session_->view();
  const Viewing w = session_->viewing();
  through_->setChecked(w == Viewing::Camera);
  setButton_->setChecked(w == Viewing::Set);
  both_->setChecked(w == Viewing::Both);
  camera_->setVisible(w != Viewing::Set);
  set_->setVisible(w != Viewing::Camera);
  asShot_->setChecked(!v.straight);
  straight_->setChecked(v.straight);
  static const char* channels[] = {"colour", "red", "green", "blue", "alpha"};
  static const char* compares[] = {"compare", "wipe", "difference", "flicker"};
  channel_->setText(tr("%1 ▾").arg(channels[static_cast<int>(v.channel)]));
  compare_->setText(tr("%1 ▾").arg(compares[static_cast<int>(v.compare)]));
  exposure_->setText(tr("exposure %1%2").arg(v.exposure < 0 ? "" : "+").arg(v.exposure, 0, 'f', 2));
  gamma_->setText(tr("gamma %1").arg(v.gamma, 0, 'f', 2));
}

void MainWindow::refreshPlaying() {
  // Twenty-four times a second: only what differs is touched.
  if (const bool playing = player_->playing(); playing != showsPause_ || play_->icon().isNull()) {
    showsPause_ = playing;
    play_->setIcon(QIcon(playing ? ":/icons/pause.svg" : ":/icons/play.svg"));
  }
  rate_->setText(player_->playing() || player_->droppedFrames()
                     ? tr("%1 fps · %2 dropped").arg(player_->rate(), 0, 'f', 1).arg(player_->droppedFrames())
                     : QString());
}

void MainWindow::refreshRecovery() {
  recovery_->setVisible(!session_->recoverable().isEmpty());
  placeOverlays();
}

void MainWindow::showNotice(const QString& text, bool warning) {
  noticeText_->setText(text);
  notice_->show();
  placeOverlays();
  noticeTimer_.start(warning ? 14000 : 5000);
}

void MainWindow::placeOverlays() {
  const int left = ledger_->width() + 24, w = std::min(640, width() - left - 24);
  notice_->setGeometry(left, 44, w,
                       notice_->heightForWidth(w) > 0 ? notice_->heightForWidth(w) : notice_->sizeHint().height());
  notice_->raise();
  recovery_->setGeometry(left, notice_->isVisible() ? notice_->geometry().bottom() + 8 : 44, w,
                         recovery_->sizeHint().height());
  recovery_->raise();
  if (shortcuts_)
    shortcuts_->move((width() - shortcuts_->width()) / 2, std::max(40, (height() - shortcuts_->height()) / 2));
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
  auto* head = new QLabel(tr("Shortcuts at %1").arg(nameOf(session_->station())), shortcuts_);
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

void MainWindow::askFile(const QString& what) {
  if ((what == "plate" || what == "shot") && !mayLeave()) return;
  const QString start = session_->file().isEmpty() ? QString() : QFileInfo(session_->file()).absolutePath();
  const auto ask = [&](const QString& title, const QString& filter) {
    return QFileDialog::getOpenFileName(this, title, start, filter, nullptr, QFileDialog::DontUseNativeDialog);
  };
  QString file;
  if (what == "shot")
    file = ask(tr("Open a shot"), tr("Shots (*.zentil)"));
  else if (what == "plate")
    file = ask(tr("Open a plate"),
               tr("Pictures and movies (*.exr *.dpx *.tif *.tiff *.png *.jpg *.jpeg *.mov *.mp4 *.mkv *.avi)"));
  else if (what == "camera")
    file = ask(tr("Load a camera"), tr("Cameras (*.csv *.gltf *.glb)"));
  else if (what == "lens")
    file = ask(tr("Load a lens"), tr("Lenses (*.json *.yml *.yaml *.xml)"));
  else if (what == "points")
    file = ask(tr("Load points"), tr("Points (*.ply *.gltf *.glb *.obj)"));
  else if (what == "mesh")
    file = ask(tr("Load a mesh"), tr("Meshes (*.obj *.ply *.gltf *.glb)"));
  else if (what == "render" || what == "otherRender")
    file = ask(tr("Choose a frame of the render"), tr("Pictures (*.exr *.dpx *.tif *.tiff *.png)"));
  else if (what == "lensFolder")
    file = QFileDialog::getExistingDirectory(this, tr("Write the lens into a folder"), start,
                                             QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  else if (what == "folder") {
    file = QFileDialog::getSaveFileName(this, tr("Deliver to (write #### where the frame number goes)"),
                                        QString::fromStdString(session_->shot().delivery.pattern), {}, nullptr,
                                        QFileDialog::DontUseNativeDialog | QFileDialog::DontConfirmOverwrite);
  } else
    file = ask(tr("Choose a picture"), tr("Pictures (*.exr *.dpx *.tif *.tiff *.png *.jpg *.jpeg)"));
  if (file.isEmpty()) return;
  if (what == "shot")
    session_->open(file);
  else
    loadFile(what, file);
}

void MainWindow::loadFile(const QString& what, const QString& given) {
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  if (what == "plate") {
    try {
      session_->replace(shot::newShot({file, {}, {}, {}, 0}), {});
      session_->setStation(Station::Camera);
    } catch (const std::exception& e) {
      session_->say(QString::fromStdString(e.what()));
    }
    return;
  }
  if (what == "lensFolder") {
    engine_->writeLens(given);
    return;
  }
  const std::string elementId = session_->element().toStdString();
  std::string madeId;
  session_->change(tr("load %1").arg(QFileInfo(given).fileName()), [&](shot::Shot& s) {
    if (what == "camera") {
      camera::CameraFileContext c;
      c.firstFrame = s.plate.range.first, c.fps = s.plate.fps, c.range = s.plate.range;
      if (s.plate.height) c.aspect = double(s.plate.width) / s.plate.height;
      s.camera = std::make_shared<camera::CameraPath>(camera::readCamera(file, c));
    } else if (what == "lens") {
      s.lens = lens::readLens(file).lens;
    } else if (what == "points") {
      s.points = std::make_shared<std::vector<set::Point>>(set::readPoints(file));
    } else if (what == "mesh") {
      set::Surface f;
      f.kind = set::SurfaceKind::Mesh;
      f.meshFile = file;
      f.mesh = set::readMesh(file);
      f.size = Vec3(1, 1, 1);
      f.id = shot::freshId(s, 's');
      f.name = std::filesystem::path(file).stem().string();
      s.surfaces.push_back(f);
    } else if (what == "clean") {
      const auto picture = image::readPicture(file);
      if (picture.picture.display.width() != s.plate.width || picture.picture.display.height() != s.plate.height)
        throw Error(fmt::format("{}: is {} x {}, the plate is {} x {}", file, picture.picture.display.width(),
                                picture.picture.display.height(), s.plate.width, s.plate.height),
                    "A clean picture stands for a plate frame and has its size");
      if (auto* e = s.element(elementId)) e->picture = file;
    } else if (what == "render" || what == "otherRender") {
      const image::Plate render = image::openPlate(file, s.plate.fps);
      if (!s.camera->empty())
        build::fitOf(render, build::overscan(s, {false, 1}), s.plate.width,
                     s.plate.height);  // says so when it does not
      if (auto* e = what == "otherRender" ? s.element(elementId) : nullptr) {
        e->render = render;
        return;
      }
      element::Element e;
      e.kind = element::Kind::Cg;
      e.id = madeId = shot::freshId(s, 'e');
      e.name = "CG " + std::filesystem::path(render.pattern).filename().string();
      e.name = e.name.substr(0, e.name.find_first_of(".#"));
      e.render = render;
      const auto first = image::readFrame(render, render.range.first);
      // A pass without alpha can only be a shadow.
      e.shadow = !first.hasAlpha;
      e.premultiplied = e.shadow || !build::looksUnpremultiplied(first.forReading());
      s.elements.push_back(e);
    } else if (what == "mattePictures") {
      auto* e = s.element(elementId);
      if (!e) throw Error("no element is chosen", "Choose the one the matte is for");
      auto* m = s.matte(e->matte);
      if (!m) {
        matte::Matte made;
        made.id = shot::freshId(s, 'm');
        made.name = std::filesystem::path(file).stem().string();
        made.frame = session_->frame();
        made.rides = matte::Rides::Screen;
        s.mattes.push_back(made);
        m = &s.mattes.back();
        e->matte = made.id;
      }
      m->pictures = image::openPlate(file);
      m->pictures.colourSpace = "raw";
    } else if (what == "folder") {
      s.delivery.pattern = file;
    }
  });
  if (!madeId.empty() && session_->shot().element(madeId)) session_->chooseElement(QString::fromStdString(madeId));
}

void MainWindow::takeFiles(const QStringList& files) {
  for (const QString& f : files) {
    if (isOneOf(f, {".zentil"})) {
      if (mayLeave()) session_->open(f);
    } else if (isOneOf(f, {".csv"}))
      loadFile("camera", f);
    else if (isOneOf(f, {".gltf", ".glb"}))
      loadFile(session_->shot().camera->empty() ? "camera" : "mesh", f);
    else if (isOneOf(f, {".json", ".yml", ".yaml", ".xml"}))
      loadFile("lens", f);
    else if (isOneOf(f, {".ply"}))
      loadFile("points", f);
    else if (isOneOf(f, {".obj"}))
      loadFile("mesh", f);
    else if (session_->shot().plate.empty() || session_->station() != Station::Work) {
      if (mayLeave()) loadFile("plate", f);
    } else
      loadFile("clean", f);
  }
}

void MainWindow::save() {
  if (session_->file().isEmpty())
    saveAs();
  else
    session_->saveTo(session_->file());
}

void MainWindow::saveAs() {
  QString f = QFileDialog::getSaveFileName(this, tr("Save the shot"), session_->file(), tr("Shots (*.zentil)"), nullptr,
                                           QFileDialog::DontUseNativeDialog);
  if (f.isEmpty()) return;
  if (!f.endsWith(".zentil")) f += ".zentil";
  session_->saveTo(f);
}

bool MainWindow::mayLeave() {
  if (!session_->isModified()) return true;
  QMessageBox box(QMessageBox::NoIcon, tr("Zentil"),
                  tr("%1 has edits that are not saved.").arg(QString::fromStdString(session_->shot().name)),
                  QMessageBox::NoButton, this);
  auto* keep = box.addButton(tr("Save"), QMessageBox::AcceptRole);
  auto* drop = box.addButton(tr("Do not save"), QMessageBox::DestructiveRole);
  box.addButton(tr("Stay"), QMessageBox::RejectRole);
  box.exec();
  if (box.clickedButton() == keep) {
    save();
    return !session_->isModified();
  }
  if (box.clickedButton() == drop) {
    QFile::remove(Session::autosaveOf(session_->file()));
    return true;
  }
  return false;
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) files << u.toLocalFile();
  takeFiles(files);
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (mayLeave())
    e->accept();
  else
    e->ignore();
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && shortcuts_)
    showShortcuts();
  else
    QMainWindow::keyPressEvent(e);
}

void MainWindow::resizeEvent(QResizeEvent*) { placeOverlays(); }

}  // namespace zentil::app
