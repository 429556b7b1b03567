#include "app/stations/ledger.h"

#include <QKeyEvent>
#include <QPainter>
#include <QPushButton>

#include "app/widgets/help_panel.h"
#include "app/widgets/station_parts.h"
#include "app/widgets/style.h"

namespace zentil::app {

QString titleOf(Station s) {
  static const char* names[] = {"Plate", "Lens", "Track", "Camera", "Set", "Work", "Deliver"};
  return names[static_cast<int>(s)];
}

namespace {

using State = Fact::State;
Fact good(const QString& t) { return {t, State::Good, {}}; }
Fact worry(const QString& t, const QString& why) { return {t, State::Worry, why}; }

Fact plateFact(const Session& session, const Engine& engine) {
  const auto& s = session.shot();
  if (engine.plateSearch().isAway())
    return worry(QObject::tr("not there"), QObject::tr("Its files are not where the shot has them"));
  const QString t = QObject::tr("%1 f · %2 fps").arg(s.range.count()).arg(s.plate().fps, 0, 'g', 5);
  int gone = 0;
  for (const int f : s.plate().missing) gone += s.range.contains(f);
  return gone
             ? worry(
                   QObject::tr("%1 f · %2 missing").arg(s.range.count()).arg(gone),
                   QObject::tr("Frames %1 have no file").arg(QString::fromStdString(describeFrames(s.plate().missing))))
             : good(t);
}

Fact lensFact(const Session& session, const Engine&) {
  const auto& s = session.shot();
  if (s.projection == shot::Projection::Sphere) return {QObject::tr("a sphere"), State::Empty, {}};
  if (s.lens.isStraight()) return {QObject::tr("straight"), State::Empty, {}};
  if (!s.lensProblem.empty()) return worry(QObject::tr("maps missing"), QString::fromStdString(s.lensProblem));
  if (s.camera->empty() && !(s.camera->focalMm > 0) && !s.lens.maps)
    return worry(QObject::tr("no focal length"),
                 QObject::tr("The lens counts in focal lengths: load a camera, or type its focal length at Camera"));
  try {
    const Box b = lens::straightBox(s.lensAt(session.frame()), s.width, s.height);
    return good(QObject::tr("%1 × %2 · +%3%")
                    .arg(b.width())
                    .arg(b.height())
                    .arg(100.0 * (double(b.width()) / s.width - 1), 0, 'f', 1));
  } catch (const std::exception& e) {
    return worry(QObject::tr("folds over"), QString::fromStdString(e.what()));
  }
}

Fact trackFact(const Session& session, const Engine&) {
  const auto& s = session.shot();
  if (s.projection == shot::Projection::Sphere && s.tracks->empty())
    return {QObject::tr("by itself, at Camera"), State::Empty, {}};
  if (!s.tracks->empty())
    return good(s.tracks->size() == 1 ? QObject::tr("1 track") : QObject::tr("%1 tracks").arg(s.tracks->size()));
  return {s.camera->empty() ? QObject::tr("nothing yet") : QObject::tr("not needed"), State::Empty, {}};
}

Fact cameraFact(const Session& session, const Engine&) {
  const auto& s = session.shot();
  const bool sphere = s.projection == shot::Projection::Sphere;
  if (sphere && s.camera->empty()) return {QObject::tr("find how it turns"), State::Empty, {}};
  if (s.camera->empty())
    return {s.tracks->empty() ? QObject::tr("load one, or track") : QObject::tr("solve it"), State::Empty, {}};
  const auto gaps = s.camera->gaps(s.range);
  if (!gaps.empty())
    return worry(QObject::tr("%1 f missing").arg(gaps.size()),
                 QObject::tr("No pose at frames %1").arg(QString::fromStdString(describeFrames(gaps))));
  if (s.solved) {
    const QString fits =
        QObject::tr("%1 px · %2 mm").arg(s.solved->rmsPx, 0, 'f', 2).arg(s.camera->focalAt(session.frame()), 0, 'f', 2);
    return s.solved->rmsPx > 1 ? worry(fits, QObject::tr("The tracks fit badly: leave out the worst and solve again"))
                               : good(fits);
  }
  if (sphere) return good(QObject::tr("%1 f turned").arg(s.camera->poses.size()));
  return good(
      QObject::tr("%1 f · %2 mm").arg(s.camera->poses.size()).arg(s.camera->poses.begin()->second.focalMm, 0, 'f', 1));
}

Fact setFact(const Session& session, const Engine&) {
  const auto& s = session.shot();
  if (s.surfaces.empty() && s.points->empty()) return {QObject::tr("empty"), State::Empty, {}};
  return good((s.surfaces.size() == 1 ? QObject::tr("1 surface · %1 points")
                                      : QObject::tr("%1 surfaces · %2 points").arg(s.surfaces.size()))
                  .arg(s.points->size()));
}

Fact workFact(const Session& session, const Engine& engine) {
  const auto& s = session.shot();
  if (s.elements.empty()) return {QObject::tr("nothing yet"), State::Empty, {}};
  double lock = -1;
  QString who;
  for (const auto& e : s.elements)
    if (const auto* slip = engine.meter().slipOf(QString::fromStdString(e.id)); slip && e.on && slip->lockPx > lock)
      lock = slip->lockPx, who = QObject::tr("%1 slips %2 px at %3")
                                     .arg(QString::fromStdString(e.name))
                                     .arg(lock, 0, 'f', 2)
                                     .arg(slip->lockFrame);
  if (lock < 0)
    return good(engine.meter().measuring() ? QObject::tr("%1 · measuring").arg(s.elements.size())
                                           : QObject::tr("%1").arg(s.elements.size()));
  const QString t = QObject::tr("%1 · lock %2 px").arg(s.elements.size()).arg(lock, 0, 'f', 2);
  return lock > 0.3 ? worry(t, who) : good(t);
}

Fact deliverFact(const Session& session, const Engine& engine) {
  const auto& s = session.shot();
  if (engine.delivery().running()) return good(QObject::tr("%1%").arg(int(engine.delivery().done() * 100)));
  if (engine.delivery().upToDate() < 0) return {{}, State::Empty, {}};
  if (engine.delivery().upToDate() == 0) return {QObject::tr("nothing yet"), State::Empty, {}};
  return engine.delivery().upToDate() == s.range.count()
             ? good(QObject::tr("%1 f up to date").arg(engine.delivery().upToDate()))
             : worry(QObject::tr("%1 of %2 f").arg(engine.delivery().upToDate()).arg(s.range.count()),
                     QObject::tr("The other frames are not delivered, or the shot changed since"));
}

}  // namespace

Fact factOf(Station station, const Session& session, const Engine& engine) {
  if (session.shot().plate().empty())
    return {station == Station::Plate ? QObject::tr("open one") : QString(), State::Empty, {}};
  switch (station) {
    case Station::Plate:
      return plateFact(session, engine);
    case Station::Lens:
      return lensFact(session, engine);
    case Station::Track:
      return trackFact(session, engine);
    case Station::Camera:
      return cameraFact(session, engine);
    case Station::Set:
      return setFact(session, engine);
    case Station::Work:
      return workFact(session, engine);
    case Station::Deliver:
      return deliverFact(session, engine);
  }
  return {};
}

StationBody::StationBody(Session* session, Engine* engine, QWidget* parent)
    : QWidget(parent), session_(session), engine_(engine) {
  setObjectName("stationBody");
  setAttribute(Qt::WA_StyledBackground);
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(12, 10, 12, 12);
  v->setSpacing(8);
}

QPushButton* StationBody::button(const QString& name, const QString& text, const QString& tip) {
  return newButton(this, name, text, tip);
}

StationRow::StationRow(Station station, QWidget* parent) : QWidget(parent), station_(station) {
  setObjectName("station:" + titleOf(station));
  setAccessibleName(titleOf(station));
  setFixedHeight(30);
  setFocusPolicy(Qt::TabFocus);
  setCursor(Qt::PointingHandCursor);
}

void StationRow::set(const Fact& fact, bool open) {
  fact_ = fact;
  open_ = open;
  setToolTip(fact.why);
  update();
}

void StationRow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space)
    emit clicked();
  else
    QWidget::keyPressEvent(e);
}

void StationRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), open_ ? QColor(0x2d, 0x30, 0x33) : QColor(0x23, 0x24, 0x26));
  if (open_) p.fillRect(0, 0, 3, height(), style::kAccent);
  p.setPen(QColor(0x2c, 0x2e, 0x31));
  p.drawLine(0, height() - 1, width(), height() - 1);
  const QPointF dot(18, height() / 2.0);
  using State = Fact::State;
  p.setPen(QPen(fact_.state == State::Worry  ? style::kWarn
                : fact_.state == State::Good ? style::kAccent
                                             : style::kQuiet,
                1.2));
  p.setBrush(fact_.state == State::Empty ? Qt::NoBrush : QBrush(p.pen().color()));
  // Round is good, a diamond worries, hollow is empty: not by colour alone.
  if (fact_.state == State::Worry)
    p.drawPolygon(
        QPolygonF({dot + QPointF(0, -4.5), dot + QPointF(4.5, 0), dot + QPointF(0, 4.5), dot + QPointF(-4.5, 0)}));
  else
    p.drawEllipse(dot, 3.3, 3.3);
  QFont f("Inter");
  f.setPixelSize(13);
  f.setWeight(open_ ? QFont::DemiBold : QFont::Normal);
  p.setFont(f);
  p.setPen(open_ ? Qt::white : style::kText);
  p.drawText(QRect(30, 0, 90, height()), Qt::AlignVCenter, titleOf(station_));
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  p.setFont(mono);
  p.setPen(fact_.state == State::Worry ? style::kWarn : open_ ? QColor(0xb9, 0xd9, 0xd1) : style::kQuiet);
  p.drawText(rect().adjusted(100, 0, -13, 0), Qt::AlignRight | Qt::AlignVCenter,
             QFontMetrics(mono).elidedText(fact_.text, Qt::ElideLeft, width() - 116));
  if (hasFocus()) {
    p.setPen(QPen(style::kAccent, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(rect()).adjusted(4.5, 2.5, -4.5, -3.5));
  }
}

Ledger::Ledger(Session* session, Engine* engine, RecipeBar* bar, QWidget* parent)
    : QScrollArea(parent), session_(session), engine_(engine), bar_(bar) {
  setObjectName("ledger");
  setMinimumWidth(kLeastWidth);
  setMaximumWidth(kMostWidth);
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* inside = new QWidget(this);
  inside->setObjectName("ledgerInside");
  auto* v = new QVBoxLayout(inside);
  v->setContentsMargins(0, 0, 0, 0);
  v->setSpacing(0);
  for (int i = 0; i < 7; ++i) {
    const auto station = static_cast<Station>(i);
    rows_[static_cast<size_t>(i)] = new StationRow(station, inside);
    bodies_[static_cast<size_t>(i)] = makeBody(station, session, engine, inside);
    static_cast<QVBoxLayout*>(bodies_[static_cast<size_t>(i)]->layout())
        ->insertWidget(0, new Hint(station, bodies_[static_cast<size_t>(i)]));
    v->addWidget(rows_[static_cast<size_t>(i)]);
    v->addWidget(bodies_[static_cast<size_t>(i)]);
    connect(rows_[static_cast<size_t>(i)], &StationRow::clicked, this,
            [this, station] { session_->setStation(station); });
    connect(bodies_[static_cast<size_t>(i)], &StationBody::wantsFile, this, &Ledger::wantsFile);
  }
  v->addStretch(1);
  setWidget(inside);
  soon_.setObjectName("shownSoon");
  soon_.setSingleShot(true);
  connect(&soon_, &QTimer::timeout, this, &Ledger::refresh);
  for (auto signal : {&Session::chosenChanged, &Session::stationChanged, &Session::toolChanged})
    connect(session, signal, this, &Ledger::refresh);
  connect(session, &Session::documentReplaced, this, &Ledger::refreshSoon);
  connect(session, &Session::shotChanged, this, &Ledger::refreshSoon);
  connect(session, &Session::frameChanged, this, &Ledger::refreshSoon);
  connect(&engine->meter(), &Meter::changed, this, &Ledger::refreshSoon);
  connect(&engine->delivery(), &Delivery::changed, this, &Ledger::refreshSoon);
  connect(engine, &Engine::ready, this, &Ledger::refreshSoon);
  connect(&engine->plateSearch(), &PlateSearch::changed, this, &Ledger::refresh);
  refresh();
}

void Ledger::refreshSoon() {
  if (!soon_.isActive()) soon_.start(session_->draft() ? 250 : 40);
}

void Ledger::refresh() {
  soon_.stop();
  for (int i = 0; i < 7; ++i) {
    const auto station = static_cast<Station>(i);
    const bool open = session_->station() == station;
    rows_[static_cast<size_t>(i)]->set(factOf(station, *session_, *engine_), open);
    bodies_[static_cast<size_t>(i)]->setVisible(open);
    if (!open) continue;
    bodies_[static_cast<size_t>(i)]->refresh();
    bar_->show(bodies_[static_cast<size_t>(i)]->page());
  }
}

}  // namespace zentil::app
