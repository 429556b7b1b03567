#include "app/window/main_window.h"

#include <QApplication>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>
#include <QStyle>
#include <algorithm>
#include <filesystem>

#include "app/document/things.h"
#include "app/tasks/job_line.h"
#include "app/widgets/bar_number.h"
#include "app/widgets/sentence.h"
#include "app/widgets/style.h"

namespace zentil::app {
namespace {

QLabel* quiet(QWidget* parent, const QString& name) {
  auto* l = new QLabel(parent);
  l->setObjectName(name);
  l->setProperty("quiet", true);
  return l;
}

/// With a large letter at its beginning, unless that is a name: of a file, a value or a thing.
QString begun(const QString& sentence) {
  const QString word = sentence.section(' ', 0, 0);
  const bool plain = !word.isEmpty() && std::all_of(word.begin(), word.end(), [](QChar c) { return c.isLower(); });
  return plain ? sentence[0].toUpper() + sentence.mid(1) : sentence;
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

}  // namespace

MainWindow::MainWindow(size_t budgetBytes)
    : session_(new Session(this)), engine_(new Engine(session_, budgetBytes, this)) {
  setWindowTitle("Zentil");
  setWindowIcon(QIcon(":/icons/zentil.svg"));
  setMinimumSize(900, 600);
  resize(1280, 800);
  setAcceptDrops(true);
  auto* central = new QWidget(this);
  central->setObjectName("window");
  auto* v = new QVBoxLayout(central);
  v->setContentsMargins(0, 0, 0, 0);
  v->setSpacing(0);
  buildTop(v);
  beside_ = new QSplitter(Qt::Horizontal, central);
  beside_->setObjectName("ledgerEdge");
  beside_->setChildrenCollapsible(false);
  beside_->setHandleWidth(3);
  v->addWidget(beside_, 1);
  auto* side = new QWidget(beside_);
  auto* right = new QVBoxLayout(side);
  right->setContentsMargins(0, 0, 0, 0);
  right->setSpacing(0);
  recipe_ = new RecipeBar(side);
  ledger_ = new Ledger(session_, engine_, recipe_, beside_);
  beside_->addWidget(ledger_);
  beside_->addWidget(side);
  beside_->setStretchFactor(0, 0);
  beside_->setStretchFactor(1, 1);
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
  right->addWidget(recipe_);
  strip_ = new Strip(session_, engine_, central);
  strip_->setFixedHeight(136);
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
  noticeAct_ = new QPushButton(notice_);
  noticeAct_->setObjectName("noticeAct");
  nl->addWidget(noticeAct_, 0, Qt::AlignTop);
  noticeAct_->hide();
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
  recoveryWords_ = new QLabel(recovery_);
  auto* take = new QPushButton(tr("Recover them"), recovery_);
  take->setObjectName("recover");
  auto* leave = new QPushButton(tr("Discard"), recovery_);
  leave->setObjectName("discardRecovery");
  rl->addWidget(recoveryWords_, 1);
  rl->addWidget(take);
  rl->addWidget(leave);
  recovery_->hide();
  connect(take, &QPushButton::clicked, this, &MainWindow::recover);
  connect(leave, &QPushButton::clicked, session_, &Session::forgetRecovery);

  buildIdleRecipe();
  buildActions();
  for (WorldView* view : {static_cast<WorldView*>(camera_), static_cast<WorldView*>(set_)})
    connect(view, &WorldView::menuWanted, this, &MainWindow::openPictureMenu);
  connect(ledger_, &Ledger::wantsFile, this, &MainWindow::askFile);
  connect(session_, &Session::notice, this, &MainWindow::showNotice);
  connect(session_, &Session::offered, this, &MainWindow::showOffer);
  connect(&engine_->delivery(), &Delivery::ended, this,
          [this](bool complete, const QString& words) { showNotice(words, !complete); });
  connect(&engine_->delivery(), &Delivery::wouldReplace, this, [this](const QString& words) {
    QMessageBox box(QMessageBox::NoIcon, tr("Zentil"), words + ".", QMessageBox::NoButton, this);
    box.setObjectName("wouldReplace");
    auto* over = box.addButton(tr("Replace them"), QMessageBox::DestructiveRole);
    box.addButton(tr("Leave them"), QMessageBox::RejectRole);
    box.exec();
    if (box.clickedButton() == over) engine_->delivery().start(true);
  });
  connect(&engine_->delivery(), &Delivery::wouldLeave, this, [this](const QString& words, bool overwrite) {
    QMessageBox box(QMessageBox::NoIcon, tr("Zentil"), words + ".", QMessageBox::NoButton, this);
    box.setObjectName("wouldLeave");
    auto* there = box.addButton(tr("Deliver there"), QMessageBox::AcceptRole);
    box.addButton(tr("Do not deliver"), QMessageBox::RejectRole);
    box.exec();
    if (box.clickedButton() != there) return;
    session_->allowDelivery(QString::fromStdString(session_->shot().delivery.pattern));
    engine_->delivery().start(overwrite);
  });
  for (auto signal : {&Session::shotChanged, &Session::documentReplaced})
    connect(session_, signal, this, &MainWindow::refreshBar);
  for (auto signal : {&Session::shotChanged, &Session::documentReplaced, &Session::fileChanged})
    connect(session_, signal, this, &MainWindow::refreshTop);
  for (auto signal : {&Session::documentReplaced, &Session::recoveryChanged})
    connect(session_, signal, this, &MainWindow::refreshRecovery);
  connect(session_, &Session::frameChanged, this, &MainWindow::refreshTop);
  connect(session_, &Session::stationChanged, this, [this] {
    if (shortcuts_) buildShortcuts();
  });
  connect(session_, &Session::documentReplaced, this, &MainWindow::comeBack);
  connect(session_, &Session::viewChanged, this, &MainWindow::refreshBar);
  connect(player_, &Player::changed, this, &MainWindow::refreshPlaying);
  for (WorldView* w : {static_cast<WorldView*>(camera_), static_cast<WorldView*>(set_)})
    connect(w, &WorldView::pointing, this, [this, w](const QPointF& at) {
      if (w != camera_ || at.x() < 0) {
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
  refreshRecovery();
}

void MainWindow::showEvent(QShowEvent* e) {
  QMainWindow::showEvent(e);
  if (sized_) return;
  sized_ = true;
  // Wider where there is room; as it was left, where a hand has moved its edge.
  constexpr int kUsual = 308, kWide = 400, kLargeWindow = 1700;
  const int wide = QSettings().value("window/ledger", width() >= kLargeWindow ? kWide : kUsual).toInt();
  beside_->setSizes({wide, width() - wide});
  connect(beside_, &QSplitter::splitterMoved, this, [](int at, int) { QSettings().setValue("window/ledger", at); });
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
  // Beside the frame's number, which stays where it is: so does Stop.
  h->addWidget(new JobLine(&engine_->jobs(), top), 8);
  frame_ = new QLabel(top);
  frame_->setObjectName("frameNow");
  frame_->setToolTip(tr("The frame: click to type one, drag, or wheel"));
  frame_->setMinimumWidth(52);
  frame_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  new BarNumber(
      frame_, 1, [this] { return static_cast<double>(session_->frame()); },
      [this](double d) { session_->setFrame(static_cast<int>(std::lround(std::clamp(d, -1e9, 1e9)))); });
  h->addWidget(frame_);
  range_ = quiet(top, "rangeWords");
  h->addWidget(range_);
  v->addWidget(top);
}

QWidget* MainWindow::buildBar() {
  auto* bar = new QWidget(this);
  bar->setObjectName("pictureBar");
  // What does not fit beside the rest goes beneath it.
  auto* h = new FlowLayout(bar, 2, 0);
  h->setContentsMargins(10, 2, 12, 2);
  bar->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Minimum);
  const auto add = [&](QPushButton*& b, const QString& name, const QString& text, const QString& tip, bool checkable) {
    b = plainButton(bar, name, text, tip, checkable);
    h->addWidget(b);
  };
  const auto gap = [&] {
    auto* l = new QLabel("|", bar);
    l->setProperty("quiet", true);
    l->setMinimumHeight(26);
    h->addWidget(l);
  };
  play_ = plainButton(bar, "play", {}, tr("Play (Space)"), false);
  h->addWidget(play_);
  connect(play_, &QPushButton::clicked, player_, &Player::toggle);
  add(through_, "viewCamera", tr("Through camera"), tr("The shot through its camera (G switches views)"), true);
  add(setButton_, "viewSet", tr("Set"), tr("The set from anywhere"), true);
  add(both_, "viewBoth", tr("Both"), tr("Side by side"), true);
  connect(through_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Camera), refreshBar(); });
  connect(setButton_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Set), refreshBar(); });
  connect(both_, &QPushButton::clicked, this, [this] { session_->setViewing(Viewing::Both), refreshBar(); });
  gap();
  add(asShot_, "asShot", tr("as shot"), tr("As the lens made it (L)"), true);
  add(straight_, "straight", tr("straight"), tr("Without the lens's distortion (L)"), true);
  add(asDelivered_, "asDelivered", tr("as delivered"), tr("The view and the size that Deliver is set to"), true);
  connect(asDelivered_, &QPushButton::clicked, this, [this] {
    View v = session_->view();
    v.lookAsShot(), v.delivered = true;
    session_->setView(v);
    refreshBar();
  });
  connect(asShot_, &QPushButton::clicked, this, [this] {
    View v = session_->view();
    v.lookAsShot();
    session_->setView(v);
    refreshBar();
  });
  connect(straight_, &QPushButton::clicked, this, [this] {
    View v = session_->view();
    // A flat view of a sphere is steered in what is looked at: as shot, or steadied.
    v.straight = true, v.delivered = false,
    v.steady = v.steady && session_->shot().projection == shot::Projection::Sphere;
    session_->setView(v);
    refreshBar();
  });
  gap();
  add(channel_, "channel", {}, tr("Which channels are shown"), false);
  add(compare_, "compare", {},
      tr("Compare with the plate, or with another frame as this one's camera sees it: B wipe, X difference, K flicker, "
         "Shift+B with the first frame"),
      false);
  connect(channel_, &QPushButton::clicked, this, [this] { offer(channel_, channelsOnOffer()); });
  connect(compare_, &QPushButton::clicked, this, [this] { offer(compare_, comparisonsOnOffer()); });
  gap();
  add(exposure_, "exposure", {}, tr("Exposure in stops, for looking only: click to type, drag, or wheel"), false);
  add(gamma_, "gamma", {}, tr("Gamma, for looking only: click to type, drag, or wheel"), false);
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
  rate_ = quiet(bar, "rate");
  rate_->hide();
  h->addWidget(rate_);
  value_ = quiet(bar, "pixelValue");
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  value_->setFont(mono);
  // As wide as it gets: the bar must not fold and unfold under the pointer.
  // With a size of their own they are written into without anything being laid out anew.
  value_->setFixedSize(QFontMetrics(mono).horizontalAdvance("8888.8, 8888.8 · 88.888 88.888 88.888"), 26);
  rate_->setFixedSize(rate_->fontMetrics().horizontalAdvance("88.8 fps · 888 dropped") + 6, 26);
  h->addWidget(value_);
  return bar;
}

namespace {
/// Settings of a shot by its file, kept for the shots that were open last.
QString settingsOf(const QString& file) {
  return "shots/" + QString::number(qHash(QFileInfo(file).canonicalFilePath(), 1), 16) + "/";
}
}  // namespace

void MainWindow::remember() const {
  if (session_->file().isEmpty()) return;
  QSettings settings;
  const QString s = settingsOf(session_->file());
  settings.setValue(s + "station", static_cast<int>(session_->station()));
  settings.setValue(s + "frame", session_->frame());
  settings.setValue(s + "viewing", static_cast<int>(session_->viewing()));
  settings.setValue(s + "straight", session_->view().straight);
  settings.setValue(s + "exposure", session_->view().exposure);
  settings.setValue(s + "gamma", session_->view().gamma);
}

void MainWindow::comeBack() {
  View v = session_->view();
  v.straight = v.delivered = false, v.exposure = 0, v.gamma = 1, v.against.reset();
  const QSettings settings;
  const QString s = settingsOf(session_->file());
  cameBack_ = !session_->file().isEmpty() && settings.contains(s + "station");
  if (cameBack_) {
    session_->setStation(static_cast<Station>(std::clamp(settings.value(s + "station").toInt(), 0, 6)));
    session_->setFrame(settings.value(s + "frame").toInt());
    session_->setViewing(static_cast<Viewing>(std::clamp(settings.value(s + "viewing").toInt(), 0, 2)));
    v.straight = settings.value(s + "straight").toBool();
    v.exposure = std::clamp(settings.value(s + "exposure").toDouble(), -12.0, 12.0);
    v.gamma = std::clamp(settings.value(s + "gamma").toDouble(), 0.2, 5.0);
  }
  session_->setView(v);
}

void MainWindow::refreshTop() {
  const auto& s = session_->shot();
  const QString file = session_->file().isEmpty() ? tr("not saved yet") : QFileInfo(session_->file()).fileName();
  setWindowTitle(s.plate().empty() ? "Zentil" : QString("%1[*] \u2013 Zentil").arg(file));
  // It tells every widget, whether it is news or not.
  if (const bool modified = session_->isModified(); modified != isWindowModified()) setWindowModified(modified);
  name_->setToolTip(session_->file());
  name_->setText((s.plate().empty() ? tr("no shot") : QString::fromStdString(s.name)) +
                 (session_->isModified() ? " •" : ""));
  plate_->setText(s.plate().empty()
                      ? QString()
                      : tr("%1 · %2×%3 · %4 fps")
                            .arg(QString::fromStdString(std::filesystem::path(s.plate().pattern).filename().string()))
                            .arg(s.width)
                            .arg(s.height)
                            .arg(s.plate().fps, 0, 'g', 5));
  undo_->setText(session_->history().canUndo()
                     ? tr("undo: %1").arg(QString::fromStdString(session_->history().undoWords()))
                     : QString());
  frame_->setText(s.plate().empty() ? QString() : QString::number(session_->frame()));
  range_->setText(s.plate().empty() ? QString() : tr("of %1–%2").arg(s.range.first).arg(s.range.last));
}

void MainWindow::refreshBar() {
  const View& v = session_->view();
  const Viewing w = session_->viewing();
  through_->setChecked(w == Viewing::Camera);
  setButton_->setChecked(w == Viewing::Set);
  both_->setChecked(w == Viewing::Both);
  camera_->setVisible(w != Viewing::Set);
  set_->setVisible(w != Viewing::Camera);
  // A steadied picture is neither: it is named where it would be put down.
  const bool sphere = session_->shot().projection == shot::Projection::Sphere;
  asShot_->setChecked(v.isAsShot());
  straight_->setChecked(v.straight && !v.delivered && (sphere || !v.steady));
  asDelivered_->setVisible(!(session_->shot().output == shot::Output()) || v.delivered);
  asDelivered_->setChecked(v.delivered);
  straight_->setText(sphere ? tr("flat") : tr("straight"));
  straight_->setToolTip(sphere ? tr("A flat view out of the sphere: Ctrl+drag looks around, the wheel widens (L)")
                               : tr("Without the lens's distortion (L)"));
  asShot_->setText(v.steady ? tr("steadied: as shot") : tr("as shot"));
  static const char* channels[] = {"colour", "red", "green", "blue", "alpha"};
  static const char* compares[] = {"compare", "wipe", "difference", "flicker"};
  channel_->setText(tr("%1 ▾").arg(channels[static_cast<int>(v.channel)]));
  const QString with = v.against && v.compare != Compare::None ? tr(" with %1").arg(*v.against) : QString();
  compare_->setText(tr("%1%2 ▾").arg(compares[static_cast<int>(v.compare)], with));
  exposure_->setText(tr("exposure %1%2").arg(v.exposure < 0 ? "" : "+").arg(v.exposure, 0, 'f', 2));
  gamma_->setText(tr("gamma %1").arg(v.gamma, 0, 'f', 2));
}

void MainWindow::refreshPlaying() {
  // Twenty-four times a second: only what differs is touched.
  if (const bool playing = player_->playing(); playing != showsPause_ || play_->icon().isNull()) {
    showsPause_ = playing;
    play_->setIcon(QIcon(playing ? ":/icons/pause.svg" : ":/icons/play.svg"));
  }
  if (const bool shows = player_->playing() || player_->droppedFrames(); shows == rate_->isHidden())
    rate_->setVisible(shows);
  rate_->setText(player_->playing() || player_->droppedFrames()
                     ? tr("%1 fps · %2 dropped").arg(player_->rate(), 0, 'f', 1).arg(player_->droppedFrames())
                     : QString());
}

void MainWindow::refreshRecovery() {
  recovery_->setVisible(!session_->recoverable().isEmpty());
  recoveryWords_->setText(session_->file().isEmpty()
                              ? tr("A shot that was never saved was left when the program ended.")
                              : tr("There are edits of this shot that were not saved."));
  placeOverlays();
}

void MainWindow::showOffer(const QString& text, const QString& label, const std::function<void()>& act) {
  showNotice(text, true);
  noticeAct_->setText(label);
  noticeAct_->disconnect();
  connect(noticeAct_, &QPushButton::clicked, this, [this, act] {
    notice_->hide();
    act();
  });
  noticeAct_->show();
  noticeTimer_.stop();  // it stays until it is answered
  placeOverlays();
}

void MainWindow::showNotice(const QString& text, bool warning) {
  noticeAct_->hide();
  noticeText_->setText(begun(text));
  notice_->setProperty("good", !warning);
  notice_->style()->unpolish(notice_);
  notice_->style()->polish(notice_);
  notice_->show();
  placeOverlays();
  noticeTimer_.start(warning ? 14000 : 5000);
}

void MainWindow::placeOverlays() {
  const int left = ledger_->width() + 24, w = std::min(640, width() - left - 24);
  notice_->setGeometry(left, 44, w,
                       notice_->heightForWidth(w) > 0 ? notice_->heightForWidth(w) : notice_->sizeHint().height());
  notice_->raise();
  // Both may be said before the window is shown.
  recovery_->setGeometry(left, !notice_->isHidden() ? notice_->geometry().bottom() + 8 : 44, w,
                         recovery_->sizeHint().height());
  recovery_->raise();
  if (help_) {
    const int wide = std::min(460, width() - left - 24);
    help_->setGeometry(width() - wide - 12, 42, wide, std::max(240, height() - 42 - 210));
  }
  if (shortcuts_)
    shortcuts_->move((width() - shortcuts_->width()) / 2, std::max(40, (height() - shortcuts_->height()) / 2));
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (mayLeave()) {
    remember();
    QSettings().setValue("window/place", saveGeometry());
    e->accept();
  } else
    e->ignore();
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
  // An outline is edited on the picture: a point that was missed by a little must not cost the whole element.
  const bool drawing = session_->station() == Station::Work && camera_->hasFocus();
  if (e->key() == Qt::Key_Escape && shortcuts_)
    hideShortcuts();
  else if (e->key() == Qt::Key_Escape && help_)
    toggleHelp();
  else if (e->key() == Qt::Key_Delete && !drawing)
    Things::of(session_).remove();
  else
    QMainWindow::keyPressEvent(e);
}

void MainWindow::resizeEvent(QResizeEvent*) { placeOverlays(); }

}  // namespace zentil::app
