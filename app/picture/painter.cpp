#include "app/picture/painter.h"

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QPainter>
#include <QPointer>
#include <cmath>
#include <condition_variable>
#include <mutex>

#include "app/document/background.h"
#include "app/document/shown_picture.h"
#include "app/widgets/style.h"
#include "core/comp/paint_render.h"
#include "core/edit/cleanup.h"
#include "core/edit/paint_edit.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::app {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("Painter", text); }

qint64 now() {
  static const auto clock = [] {
    QElapsedTimer t;
    t.start();
    return t;
  }();
  return clock.nsecsElapsed();
}

}  // namespace

/// A stroke while it is drawn: what the pen sends, and what is being made of it.
struct Painter::Live : RotoShapes {
  explicit Live(RotoShapes drawn) : RotoShapes(std::move(drawn)) {}
  int frame = 0;
  evaluate::ShotEvaluatorPtr evaluator;
  View view;

  std::mutex mutex;
  std::condition_variable more;
  std::vector<element::PenPoint> waiting;
  qint64 waitingSince = 0;
  bool dropped = false;
};

Painter::Painter(Session* session, Engine* engine) : PictureTool(session, engine) {
  pool_.setMaxThreadCount(1);
  pool_.setExpiryTimeout(-1);
  // What is painted on is made ready before the pen comes down.
  QObject::connect(session, &Session::toolChanged, &guard_, [this] { prepare(); });
  // A stroke is of the shot that it was begun in.
  QObject::connect(session, &Session::documentReplaced, &guard_, [this] {
    dropAll();
    committed_ = false;
    fresh_ = {}, freshPart_ = {};
  });
}

void Painter::prepare() {
  const auto* paint = inHand() ? paintOf() : nullptr;
  if (!paint) return;
  inBackground(pool_, [evaluator = session_->evaluator(), id = session_->element().toStdString(), frame = paint->frame,
                       cache = engine_->sharedCache()] {
    try {
      const auto state = evaluator->only(id, frame);
      if (!state.layers.empty()) comp::canvasOf(state.layers.front(), *cache);
    } catch (const std::exception&) {
      // Said when it is painted on.
    }
  });
}

Painter::~Painter() {
  dropAll();
  pool_.waitForDone();
}

const element::Paint* Painter::paintOf() const {
  const auto* e = session_->shot().element(session_->element().toStdString());
  return e ? edit::paintIn(*e) : nullptr;
}

bool Painter::begin(const QPointF& at, double pressure, bool shift, bool erases) {
  const auto* paint = paintOf();
  if (!paint) {
    session_->say(tr("Choose an element of paint first, or add one: + Paint."));
    return true;
  }
  if (!session_->view().isAsShot()) {
    View v = session_->view();
    v.lookAsShot();
    session_->setView(v);
    session_->say(tr("Paint is on the plate as shot: this is it."), false);
    return true;
  }
  if (session_->frame() != paint->frame) {
    const int frame = paint->frame;
    session_->setFrame(frame);
    session_->say(tr("It is painted on frame %1: here it is.").arg(frame), false);
    return true;
  }
  if (shift) {
    anchor_ = to_ = at;
    return true;
  }
  RotoShapes drawn{session_->element().toStdString(), paint->brush, {}, false};
  if (erases) drawn.brush.tool = element::BrushTool::Erase;
  if (live_)
    waiting_.push_back(std::move(drawn));
  else
    start(std::move(drawn));
  goOn(at, pressure);
  return true;
}

void Painter::start(RotoShapes drawn) {
  const auto* paint = edit::paintIn(*session_->shot().element(drawn.element));
  const auto before = std::exchange(drawn.penPath, {});
  const bool over = std::exchange(drawn.ended, false);
  live_ = std::make_shared<Live>(std::move(drawn));
  live_->frame = paint->frame;
  live_->view = session_->view();
  if (live_->brush.tool == element::BrushTool::Clone && live_->brush.otherFrame) {
    // With a stroke that has no way yet, so that what it is taken from is among what the element reads.
    shot::Shot with = session_->shot();
    element::Stroke stroke;
    stroke.brush = live_->brush;
    with.element(live_->element)->from<element::Paint>()->strokes.push_back(stroke);
    live_->evaluator = evaluate::ShotEvaluator::of(with);
  } else {
    live_->evaluator = session_->evaluator();
  }
  freshOn_ = paint->frame;
  firstInkMs_ = worstLagMs_ = 0, unseenSince_ = 0;
  const Box frame = session_->shot().frameBox();
  if (fresh_.size() != QSize(frame.width(), frame.height())) {
    fresh_ = QImage(frame.width(), frame.height(), QImage::Format_ARGB32_Premultiplied);
    fresh_.fill(0);
    freshPart_ = {};
  }
  const auto live = live_;
  inBackground(pool_, [this, live] { work(live); });
  for (const auto& point : before) send(point);
  if (over) sendEnd();
}

bool Painter::drawing() const { return live_ && !(waiting_.empty() ? *live_ : waiting_.back()).ended; }

void Painter::goOn(const QPointF& at, double pressure) {
  const Vec2 p = toPlate(at);
  constexpr double kBeyond = 20000;
  if (!(p.cwiseAbs().maxCoeff() < kBeyond)) return;
  const element::PenPoint point{p.x(), p.y(), std::clamp(pressure, 0.0, 1.0)};
  if (!waiting_.empty()) {
    waiting_.back().penPath.push_back(point);
    if (changed) changed();
  } else {
    send(point);
  }
}

void Painter::send(const element::PenPoint& point) {
  live_->penPath.push_back(point);
  const std::lock_guard lock(live_->mutex);
  if (live_->waiting.empty()) live_->waitingSince = now();
  live_->waiting.push_back(point);
  live_->more.notify_one();
}

void Painter::finish() {
  if (waiting_.empty())
    sendEnd();
  else
    waiting_.back().ended = true;
}

void Painter::sendEnd() {
  const std::lock_guard lock(live_->mutex);
  live_->ended = true;
  live_->more.notify_one();
}

void Painter::startWaiting() {
  if (waiting_.empty()) return;
  RotoShapes next = std::move(waiting_.front());
  waiting_.pop_front();
  const auto* e = session_->shot().element(next.element);
  if (!e || !edit::paintIn(*e)) return waiting_.clear();
  start(std::move(next));
}

void Painter::dropAll() {
  while (cancel()) {
  }
}

void Painter::work(const std::shared_ptr<Live>& live) {
  QString problem;
  const QPointer<QObject> alive(&guard_);
  try {
    const auto state = live->evaluator->only(live->element, live->frame);
    if (state.layers.empty())
      throw Error("it does not show on the frame it is painted on", "Add this frame to its range");
    const auto& layer = state.layers.front();
    retouch::Canvas canvas = *comp::canvasOf(layer, engine_->cache());
    retouch::Stroking stroking(canvas, live->brush, comp::elsewhereOf(live->brush, layer, engine_->cache()));
    const auto show = [&](const Box& box, qint64 since) {
      if (box.empty()) return;
      const QImage patch = shownPicture(canvas.seen(box), live->view);
      inInterface([this, alive, live, patch, at = QPoint(box.x0, box.y0), since] {
        if (alive) take(live, patch, at, since);
      });
    };
    for (bool ends = false; !ends;) {
      std::vector<element::PenPoint> points;
      qint64 since = 0;
      {
        std::unique_lock lock(live->mutex);
        live->more.wait(lock, [&] { return !live->waiting.empty() || live->ended || live->dropped; });
        if (live->dropped) return;
        points.swap(live->waiting);
        since = live->waitingSince;
        ends = live->ended && points.empty();
      }
      if (!points.empty())
        show(stroking.to(points), since);
      else if (ends) {
        const Box touched = stroking.end();
        canvas.requireLifted();
        show(touched, now());
      }
    }
  } catch (const std::exception& e) {
    problem = QString::fromStdString(e.what());
  }
  inInterface([this, alive, live, problem] {
    if (alive) ended(live, problem);
  });
}

void Painter::take(const std::shared_ptr<Live>& live, const QImage& patch, const QPoint& at, qint64 since) {
  if (live != live_) return;
  QPainter onto(&fresh_);
  onto.setCompositionMode(QPainter::CompositionMode_Source);
  onto.drawImage(at, patch);
  freshPart_ |= QRect(at, patch.size()) & fresh_.rect();
  if (unseenSince_ == 0) unseenSince_ = since;
  if (changed) changed();
}

void Painter::ended(const std::shared_ptr<Live>& live, const QString& problem) {
  if (live != live_) return;
  if (!problem.isEmpty()) {
    live_.reset();
    waiting_.clear();
    freshPart_ = {};
    fresh_.fill(0);
    session_->say(problem);
    if (changed) changed();
    return;
  }
  session_->change(tr("paint"), [&](shot::Shot& s) {
    edit::addStroke(s, live->element, live->brush, element::PenPath(live->penPath));
  });
  live_.reset();
  committed_ = true;
  startWaiting();
  if (changed) changed();
}

void Painter::pictureIsCurrent() {
  if (!committed_ || live_) return;
  committed_ = false;
  fresh_.fill(0);
  freshPart_ = {};
}

void Painter::paintFresh(QPainter& p, const std::function<QRectF(const QRectF&)>& toWidget) {
  if (freshPart_.isEmpty() || session_->frame() != freshOn_ || !session_->view().isAsShot()) return;
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(toWidget(freshPart_), fresh_, freshPart_);
  if (unseenSince_ == 0) return;
  const double late = static_cast<double>(now() - unseenSince_) / 1e6;
  unseenSince_ = 0;
  if (firstInkMs_ == 0) firstInkMs_ = late;
  worstLagMs_ = std::max(worstLagMs_, late);
}

bool Painter::press(QMouseEvent* e) {
  if (!inHand() || e->button() != Qt::LeftButton) return false;
  if (drawing()) return true;
  return begin(e->position(), 1, e->modifiers() & Qt::ShiftModifier);
}

bool Painter::move(QMouseEvent* e) {
  if (anchor_) {
    to_ = e->position();
    return true;
  }
  if (!drawing()) return false;
  goOn(e->position(), 1);
  return true;
}

bool Painter::release(QMouseEvent*) {
  if (anchor_) {
    const Vec2 by = toPlate(*to_) - toPlate(*anchor_);
    anchor_.reset(), to_.reset();
    const std::string id = session_->element().toStdString();
    session_->change(tr("choose where a clone is taken from"), [&](shot::Shot& s) {
      auto* el = s.element(id);
      auto* paint = el ? edit::paintIn(*el) : nullptr;
      if (!paint) throw Error("it is not painted", "Choose an element of paint");
      // Whole pixels are copied as they are.
      paint->brush.offset = Vec2(std::round(by.x()), std::round(by.y()));
      paint->brush.tool = element::BrushTool::Clone;
    });
    return true;
  }
  if (!drawing()) return false;
  finish();
  return true;
}

bool Painter::pen(QTabletEvent* e) {
  if (!inHand()) return false;
  switch (e->type()) {
    case QEvent::TabletPress:
      if (e->button() != Qt::LeftButton) return false;
      if (!drawing())
        begin(e->position(), e->pressure(), e->modifiers() & Qt::ShiftModifier,
              e->pointerType() == QPointingDevice::PointerType::Eraser);
      return true;
    case QEvent::TabletMove:
      if (anchor_)
        to_ = e->position();
      else if (drawing())
        goOn(e->position(), e->pressure());
      else
        return false;
      return true;
    case QEvent::TabletRelease:
      return anchor_ || live_ ? release(nullptr) : false;
    default:
      return false;
  }
}

void Painter::sizeBy(double factor) {
  const std::string id = session_->element().toStdString();
  session_->change(
      tr("size the brush"),
      [&](shot::Shot& s) {
        auto* el = s.element(id);
        auto* paint = el ? edit::paintIn(*el) : nullptr;
        if (!paint) throw Error("it is not painted", "Choose an element of paint");
        double& size = paint->brush.sizePx;
        size = std::clamp(factor > 1 ? std::max(size + 1, std::round(size * factor)) : std::round(size * factor), 1.0,
                          4000.0);
      },
      "brush size");
}

bool Painter::key(QKeyEvent* e, const QPointF&) {
  if (live_) {
    // While the pen is down keys are its own: undo drops the stroke, and nothing else happens under it.
    if (e->matches(QKeySequence::Undo)) cancel();
    return true;
  }
  if (!inHand() || !paintOf()) return false;
  if (e->key() == Qt::Key_Comma) {
    sizeBy(1 / 1.2);
    return true;
  }
  if (e->key() == Qt::Key_Period) {
    sizeBy(1.2);
    return true;
  }
  return false;
}

bool Painter::cancel() {
  if (anchor_) {
    anchor_.reset(), to_.reset();
    return true;
  }
  if (!live_) return false;
  if (!waiting_.empty()) {
    waiting_.pop_back();
    return true;
  }
  {
    const std::lock_guard lock(live_->mutex);
    live_->dropped = true;
    live_->more.notify_one();
  }
  live_.reset();
  fresh_.fill(0);
  freshPart_ = {};
  return true;
}

void Painter::paint(QPainter& p, const QPointF& pointer) {
  const auto* paint = inHand() ? paintOf() : nullptr;
  if (!paint) return;
  const auto& b = paint->brush;
  const auto ring = [&](const Vec2& middle, double radius, bool dashed) {
    const QPointF m = toScreen(middle), x = toScreen(middle + Vec2(radius, 0)), y = toScreen(middle + Vec2(0, radius));
    for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 160), 2.6), std::pair(style::kAccent, 1.2)}) {
      p.setPen(QPen(colour, width, dashed ? Qt::DashLine : Qt::SolidLine));
      p.drawEllipse(m, std::abs(x.x() - m.x()), std::abs(y.y() - m.y()));
    }
    return m;
  };
  p.setRenderHint(QPainter::Antialiasing);
  p.setBrush(Qt::NoBrush);
  for (const auto& w : waiting_) {
    QPolygonF way;
    for (const auto& point : w.penPath) way << toScreen({point.x, point.y});
    p.setPen(QPen(style::kAccent, 1.2, Qt::DotLine));
    p.drawPolyline(way);
  }
  if (!anchor_ && pointer.x() < 0) return;
  const Vec2 at = toPlate(anchor_ ? *anchor_ : pointer);
  const QPointF here = ring(at, b.sizePx / 2, false);
  if (b.tool != element::BrushTool::Clone) return;
  const Vec2 from = anchor_ ? toPlate(*to_) : Vec2(at + b.offset);
  if ((from - at).norm() < 0.5) return;
  const QPointF there = ring(from, b.sizePx / 2, true);
  p.setPen(QPen(style::kAccent, 1, Qt::DotLine));
  p.drawLine(here, there);
}

}  // namespace zentil::app
