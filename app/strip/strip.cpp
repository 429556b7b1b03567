#include "app/strip/strip.h"

#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/station_parts.h"
#include "app/widgets/style.h"
#include "core/edit/keys.h"
#include "core/edit/set_word.h"
#include "core/wording/recipe.h"

namespace zentil::app {

Strip::Strip(Session* session, Engine* engine, QWidget* parent) : QWidget(parent), session_(session), engine_(engine) {
  setObjectName("strip");
  setAccessibleName(tr("Frames"));
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  setMinimumHeight(158);
  setToolTip(
      tr("Click or drag to go to a frame, or click a peak of the slip curve. Diamonds are keys: drag to "
         "move, Ctrl-drag to copy, Delete to remove."));
  connect(session, &Session::chosenChanged, this, [this] { showBar(session_->element()); });
  for (auto signal : {&Session::shotChanged, &Session::viewChanged, &Session::chosenChanged, &Session::stationChanged})
    connect(session, signal, this, &Strip::axisChanged);
  connect(session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
  connect(engine, &Engine::ready, this, &Strip::axisChanged);
  connect(&engine->jobs(), &ShotJobs::changed, this, &Strip::axisChanged);
  connect(&engine->meter(), &Meter::changed, this, &Strip::axisChanged);
  soon_.setSingleShot(true);
  connect(&soon_, &QTimer::timeout, this, [this] {
    stale_ = true;
    update();
  });
}

// Frames get ready and edits come many times a second; a few are as good as all of them.
void Strip::axisChanged() {
  if (!soon_.isActive()) soon_.start(session_->draft() ? 400 : 100);
}

double Strip::xOf(double frame) const {
  const auto r = session_->shot().range;
  const double n = std::max(1, r.count() - 1);
  return kLeft + (frame - r.first) / n * (width() - kLeft - kRight);
}

int Strip::frameAt(double x) const {
  const auto r = session_->shot().range;
  return std::clamp(
      r.first + static_cast<int>(std::lround((x - kLeft) / (width() - kLeft - kRight) * std::max(1, r.count() - 1))),
      r.first, r.last);
}

void Strip::label(QPainter& p, const QRectF& box, int align, const QString& text) {
  const QRectF tight = p.boundingRect(box, align, text);
  for (const double dy : {0.0, 13.0, -13.0, 26.0, -26.0}) {
    const QRectF at = tight.translated(0, dy);
    const bool free = rect().contains(at.toAlignedRect()) &&
                      std::none_of(labels_.begin(), labels_.end(), [&](const QRectF& l) { return l.intersects(at); });
    if (!free) continue;
    // A curve that runs behind it leaves it to be read.
    QColor behind = style::kPanel;
    behind.setAlpha(190);
    p.fillRect(at.adjusted(-2, 1, 2, -1), behind);
    p.drawText(at, Qt::AlignCenter, text);
    labels_.push_back(at);
    return;
  }
}

void Strip::paintAxis(QPainter& p) {
  labels_.clear();
  slipTop_ = slipTopNow();
  p.fillRect(rect(), style::kPanel);
  p.setPen(QColor(0x31, 0x33, 0x36));
  p.drawLine(0, 0, width(), 0);
  const auto& shot = session_->shot();
  if (shot.plate().empty() || shot.range.count() == 0) return;
  const auto r = shot.range;
  QFont mono("DejaVu Sans Mono"), words("Inter");
  mono.setPixelSize(10);
  words.setPixelSize(11);
  const auto row = [&](int y, const QString& text) {
    p.setFont(words);
    p.setPen(QColor(0xa9, 0xad, 0xb1));
    label(p, QRectF(14, y - 10, kLeft - 20, 13), Qt::AlignLeft | Qt::AlignVCenter, text);
  };
  row(kReadyY + 5, tr("ready"));
  row(kSlipTop + 26, showsFit() ? tr("held") : found() ? tr("frames") : tr("slip"));
  row(kElements + 8, tr("elements"));

  // What can be shown at once, and frames that have no file.
  p.fillRect(QRectF(xOf(r.first), kReadyY, xOf(r.last) - xOf(r.first), 3), style::kLine);
  const double cell = (width() - kLeft - kRight) / std::max(1.0, r.count() - 1.0);
  // A shot of few frames has wide cells; they end where the axis does.
  const QRectF axis(xOf(r.first) - 4, 0, xOf(r.last) - xOf(r.first) + 8, height());
  const Layer layer = session_->view().compare == Compare::Difference ? Layer::Difference : Layer::Built;
  for (const int f : engine_->framesWithImage(layer))
    if (r.contains(f))
      p.fillRect(QRectF(xOf(f) - cell / 2, kReadyY, cell + 0.5, 3).intersected(axis), QColor(0x6f, 0xc3, 0xb2, 150));
  for (const int f : shot.plate().missing)
    p.fillRect(QRectF(xOf(f) - std::max(1.0, cell / 2), kReadyY - 2, std::max(2.0, cell), 7), style::kWarn);
  for (const int f : shot.camera->empty() ? std::vector<int>{} : shot.camera->gaps(r))
    p.fillRect(QRectF(xOf(f) - std::max(1.0, cell / 2), kReadyY + 5, std::max(2.0, cell), 2), style::kWarn);

  // Numbers at round frames, as many as fit.
  p.setFont(mono);
  int step = 1;
  for (const int s : {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000})
    if (step = s; s * cell > 54) break;
  for (int f = r.first; f <= r.last; f += step) {
    p.setPen(style::kQuiet);
    label(p, QRectF(xOf(f) - 30, kNumbersY - 10, 60, 14), Qt::AlignCenter, QString::number(f));
    p.fillRect(QRectF(xOf(f), kReadyY + 4, 1, 4), style::kLine);
  }

  if (showsFit())
    paintFit(p);
  else if (found())
    paintFound(p);
  else
    paintSlip(p);

  paintKeys(p);

  paintBars(p);
}

QString Strip::whyUnknown(int frame) const {
  const auto* slip = showsFit() ? nullptr : engine_->meter().slipOf(session_->element());
  if (!slip) return {};
  for (const auto& s : slip->frames)
    if (s.frame == frame) return s.known ? QString() : QString::fromStdString(s.why);
  return {};
}

double Strip::yOfKeys() const { return kKeys; }

void Strip::paintKeys(QPainter& p) {
  const std::string thing = keyedThing(*session_);
  const auto keys = thing.empty() ? std::map<int, std::vector<std::string>>() : edit::keysOf(session_->shot(), thing);
  if (keys.empty()) return;
  QFont words("Inter");
  words.setPixelSize(11);
  p.setFont(words);
  p.setPen(QColor(0xa9, 0xad, 0xb1));
  label(p, QRectF(14, kKeys - 6, kLeft - 20, 13), Qt::AlignLeft | Qt::AlignVCenter, tr("keys"));
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(style::kLine, 1));
  p.drawLine(QPointF(xOf(keys.begin()->first), kKeys), QPointF(xOf(keys.rbegin()->first), kKeys));
  for (const auto& [f, paths] : keys) {
    const double x = xOf(f), r = 4.2;
    const bool chosen = chosenKey_ == f;
    p.setPen(QPen(chosen ? QColor(Qt::white) : style::kAccent, 1.2));
    p.setBrush(chosen ? QColor(Qt::white) : style::kAccent);
    p.drawPolygon(QPolygonF({{x, kKeys - r}, {x + r, double(kKeys)}, {x, kKeys + r}, {x - r, double(kKeys)}}));
  }
  p.setRenderHint(QPainter::Antialiasing, false);
}

std::optional<int> Strip::keyAt(const QPointF& at) const {
  const std::string thing = keyedThing(*session_);
  if (thing.empty() || std::abs(at.y() - kKeys) > 6) return std::nullopt;
  for (const auto& [f, paths] : edit::keysOf(session_->shot(), thing))
    if (std::abs(xOf(f) - at.x()) < 6) return f;
  return std::nullopt;
}

void Strip::paintEvent(QPaintEvent*) {
  const QSize pixels = size() * devicePixelRatioF();
  if (stale_ || axis_.size() != pixels) {
    if (axis_.size() != pixels) axis_ = QPixmap(pixels);
    axis_.setDevicePixelRatio(devicePixelRatioF());
    QPainter onto(&axis_);
    paintAxis(onto);
    stale_ = false;
  }
  QPainter p(this);
  p.drawPixmap(0, 0, axis_);
  const auto& shot = session_->shot();
  if (shot.plate().empty() || shot.range.count() == 0) return;
  p.setRenderHint(QPainter::Antialiasing);
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(10);
  p.setFont(mono);
  if (pointer_.x() >= kLeft - 6) {
    const double x = xOf(frameAt(pointer_.x()));
    p.setPen(QPen(QColor(255, 255, 255, 50), 1));
    p.drawLine(QPointF(x, 4), QPointF(x, height() - 4));
  }
  const bool inCurve = pointer_.y() >= kSlipTop - 4 && pointer_.y() <= kSlipBottom + 6 && pointer_.x() >= kLeft - 6;
  const int asked = inCurve ? frameAt(pointer_.x()) : session_->frame();
  const auto* weighed = showsFit() ? nullptr : found();
  const auto* told = weighed && inCurve ? weighed->at(asked) : nullptr;
  if (const QString why = weighed ? QString() : whyUnknown(asked); told || !why.isEmpty()) {
    QFont words("Inter");
    words.setPixelSize(11);
    p.setFont(words);
    const QString text = told ? tr("%1: %2").arg(asked).arg(QString::fromStdString(told->words))
                              : tr("%1: slip could not be measured, %2").arg(asked).arg(why);
    QRectF box = QRectF(p.fontMetrics().boundingRect(text)).adjusted(-7, -3, 7, 3);
    box.moveCenter({xOf(asked), (kSlipTop + kSlipBottom) / 2.0});
    if (box.right() > width() - 6) box.moveRight(width() - 6);
    if (box.left() < kLeft) box.moveLeft(kLeft);
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x14, 0x15, 0x16, 225));
    p.drawRoundedRect(box, 3, 3);
    p.setPen(told && told->usable ? QColor(0xdf, 0xe2, 0xe4) : style::kWarn);
    p.drawText(box, Qt::AlignCenter, p.fontMetrics().elidedText(text, Qt::ElideRight, width() - kLeft - 12));
    p.setFont(mono);
  }
  const double x = xOf(session_->frame());
  p.setPen(QPen(Qt::white, 1.2));
  p.drawLine(QPointF(x, 4), QPointF(x, height() - 4));
  p.setBrush(Qt::white);
  p.setPen(Qt::NoPen);
  const QString number = QString::number(session_->frame());
  const double half = p.fontMetrics().horizontalAdvance(number) / 2.0 + 6,
               cx = std::clamp(x, half + 2, width() - half - 2);
  p.drawRoundedRect(QRectF(cx - half, kNumbersY - 12, 2 * half, 16), 3, 3);
  p.setPen(QColor(0x11, 0x11, 0x11));
  p.drawText(QRectF(cx - half, kNumbersY - 12, 2 * half, 16), Qt::AlignCenter, number);
}

void Strip::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || session_->shot().plate().empty()) return;
  setFocus();
  chosenKey_ = keyAt(e->position());
  draggingKey_ = chosenKey_.has_value();
  if (draggingKey_) {
    draggedFrom_ = *chosenKey_;
    session_->setFrame(*chosenKey_);
    axisChanged();
    return;
  }
  // Near the worst frame of an element's curve: there, and that element.
  for (const auto& el : session_->shot().elements) {
    const auto* slip = engine_->meter().slipOf(QString::fromStdString(el.id));
    if (showsFit() || !slip || slip->lockPx <= 0) continue;
    if (QLineF(QPointF(xOf(slip->lockFrame), yOfSlip(slip->lockPx)), e->position()).length() < 8) {
      session_->chooseElement(QString::fromStdString(el.id));
      session_->setFrame(slip->lockFrame);
      return;
    }
  }
  if (const auto bar = barAt(e->position())) {
    session_->chooseElement(QString::fromStdString(bar->id));
    if (bar->end) {
      draggingBar_ = bar;
      return;
    }
  }
  session_->setFrame(frameAt(e->position().x()));
}

void Strip::wheelEvent(QWheelEvent* e) {
  const int by = e->angleDelta().y() > 0 ? -1 : 1;
  if (e->position().y() >= kElements) {
    scrolled_ = std::clamp(scrolled_ + by, 0, std::max(0, static_cast<int>(session_->shot().elements.size()) - rows()));
    axisChanged();
  } else {
    session_->setFrame(session_->frame() + by);
  }
  e->accept();
}

void Strip::mouseMoveEvent(QMouseEvent* e) {
  pointer_ = e->position();
  if (draggingBar_) {
    setBarEnd(*draggingBar_, frameAt(e->position().x()), true);
    return;
  }
  const auto bar = e->buttons() ? std::nullopt : barAt(e->position());
  setCursor(bar && bar->end ? Qt::SizeHorCursor : Qt::ArrowCursor);
  if (draggingKey_) {
    // The picture follows when it is let go: in between only the playhead says where that is.
    session_->setFrame(frameAt(e->position().x()));
    update();
    return;
  }
  if (e->buttons() & Qt::LeftButton) session_->setFrame(frameAt(e->position().x()));
  update();
}

void Strip::mouseReleaseEvent(QMouseEvent* e) {
  if (draggingBar_) {
    draggingBar_.reset();
    session_->endSeries();
    return;
  }
  if (!draggingKey_) return;
  draggingKey_ = false;
  const int to = frameAt(e->position().x()), from = draggedFrom_;
  if (to == from) return;
  const bool copy = e->modifiers() & Qt::ControlModifier;
  const std::string thing = keyedThing(*session_);
  session_->change(
      copy ? tr("copy keys from %1 to %2").arg(from).arg(to) : tr("move keys from %1 to %2").arg(from).arg(to),
      [&](shot::Shot& s) { edit::moveKeys(s, thing, from, to, copy); });
  chosenKey_ = to;
  axisChanged();
}

void Strip::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && draggingKey_) {
    draggingKey_ = false;
    session_->setFrame(draggedFrom_);
    return;
  }
  const bool removes = e->key() == Qt::Key_Delete || e->key() == Qt::Key_Backspace;
  if (!removes || !chosenKey_) {
    QWidget::keyPressEvent(e);
    return;
  }
  const int frame = *chosenKey_;
  const std::string thing = keyedThing(*session_);
  chosenKey_.reset();
  session_->change(tr("take keys at %1 away").arg(frame), [&](shot::Shot& s) { edit::removeKeys(s, thing, frame); });
}

void Strip::contextMenuEvent(QContextMenuEvent* e) {
  const auto& shot = session_->shot();
  if (shot.plate().empty()) return;
  const auto key = keyAt(e->pos());
  const auto bar = barAt(e->pos());
  const int frame = frameAt(e->pos().x());
  auto* menu = new QMenu(this);
  menu->setObjectName(key ? "stripKeyMenu" : "stripMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  const auto add = [&](const QString& text, const std::function<void()>& run) {
    connect(menu->addAction(text), &QAction::triggered, this, run);
  };
  if (key) {
    const auto keys = edit::keysOf(shot, keyedThing(*session_));
    for (const auto& path : keys.at(*key))
      add(tr("Take the key of the %1 away").arg(QString::fromStdString(wording::wordsFor(shot, path))),
          [this, path, f = *key] {
            session_->change(tr("take a key at %1 away").arg(f), [&](shot::Shot& s) { edit::removeKey(s, path, f); });
          });
    menu->addSeparator();
  }
  const auto* e1 = bar ? shot.element(bar->id) : shot.element(session_->element().toStdString());
  if (e1) {
    const QString name = QString::fromStdString(e1->name);
    add(tr("%1: from %2 on").arg(name).arg(frame), [this, id = e1->id, frame] { setBarEnd({id, -1}, frame, false); });
    add(tr("%1: until %2").arg(name).arg(frame), [this, id = e1->id, frame] { setBarEnd({id, 1}, frame, false); });
    menu->addSeparator();
  }
  const auto setEnd = [this, frame](const std::string& path) {
    session_->change(tr("change the range"),
                     [&](shot::Shot& s) { edit::setWord(s, path, std::to_string(frame), frame); });
  };
  add(tr("Go to %1").arg(frame), [this, frame] { session_->setFrame(frame); });
  add(tr("Work from %1 on").arg(frame), [setEnd] { setEnd("range.first"); });
  add(tr("Work until %1").arg(frame), [setEnd] { setEnd("range.last"); });
  menu->popup(e->globalPos());
}

void Strip::leaveEvent(QEvent*) {
  pointer_ = {-1, -1};
  update();
}

}  // namespace zentil::app
