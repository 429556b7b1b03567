#include "app/picture/tracker_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/widgets/style.h"
#include "core/edit/trackers.h"
#include "core/shot/trackers.h"
#include "core/track/manual_tracker.h"

namespace zentil::app {

namespace {
/// A box about a place, as it is seen.
template <typename ToScreen>
QPolygonF boxAbout(const Vec2& at, double half, const ToScreen& toScreen) {
  QPolygonF out;
  for (const Vec2& d : {Vec2(-1, -1), Vec2(1, -1), Vec2(1, 1), Vec2(-1, 1)}) out << toScreen(at + half * d);
  return out;
}
}  // namespace

std::pair<int, TrackerEditor::Grip> TrackerEditor::gripAt(const QPointF& at) const {
  const auto near = [&](const QPointF& p, double reach) { return QLineF(p, at).length() < reach; };
  const int frame = session_->frame();
  const auto* chosen = shot::trackOf(session_->shot(), session_->tracker());
  if (chosen && chosen->hand && chosen->has(frame)) {
    const Vec2 place = chosen->where(frame);
    for (const QPointF& c : boxAbout(place, chosen->hand->half + chosen->hand->search, toScreen))
      if (near(c, 7)) return {chosen->id, Grip::Search};
    for (const QPointF& c : boxAbout(place, chosen->hand->half + 0.5, toScreen))
      if (near(c, 6)) return {chosen->id, Grip::Pattern};
    if (near(toScreen(place), 8)) return {chosen->id, Grip::Cross};
  }
  for (const auto& t : *session_->shot().tracks)
    if (t.hand && t.has(frame) && near(toScreen(t.where(frame)), 8)) return {t.id, Grip::Cross};
  return {-1, Grip::None};
}

void TrackerEditor::paint(QPainter& p, const QPointF& pointer) {
  if (!here()) return;
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  p.setRenderHint(QPainter::Antialiasing);
  QFont words("Inter");
  words.setPixelSize(11);
  p.setFont(words);
  for (const auto& t : *shot.tracks) {
    if (!t.hand) continue;
    const bool chosen = t.id == session_->tracker();
    const QColor colour = chosen ? style::kPin : QColor(0xb7, 0x9b, 0xe8, 170);
    if (chosen) {
      // The whole way, with its keys.
      QPolygonF way;
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(colour, 1));
      for (int f = t.first; f <= t.last() + 1; ++f) {
        if (f <= t.last() && t.has(f)) {
          way << toScreen(t.where(f));
          continue;
        }
        p.drawPolyline(way);
        way.clear();
      }
      p.setBrush(colour);
      for (const auto& [f, at] : t.hand->keys) {
        const QPointF k = toScreen(at);
        p.drawPolygon(QPolygonF({k + QPointF(0, -4), k + QPointF(4, 0), k + QPointF(0, 4), k + QPointF(-4, 0)}));
      }
    }
    if (!t.has(frame)) continue;
    const QPointF at = toScreen(t.where(frame));
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(0, 0, 0, 130), 3));
    p.drawLine(at - QPointF(7, 0), at + QPointF(7, 0));
    p.drawLine(at - QPointF(0, 7), at + QPointF(0, 7));
    p.setPen(QPen(colour, 1.4));
    p.drawLine(at - QPointF(7, 0), at + QPointF(7, 0));
    p.drawLine(at - QPointF(0, 7), at + QPointF(0, 7));
    if (chosen) {
      p.drawPolygon(boxAbout(t.where(frame), t.hand->half + 0.5, toScreen));
      p.setPen(QPen(colour, 1, Qt::DashLine));
      p.drawPolygon(boxAbout(t.where(frame), t.hand->half + t.hand->search, toScreen));
    }
    const QString name = QString::fromStdString(t.hand->name);
    const QRectF tag(at + QPointF(9, -22), QSizeF(p.fontMetrics().horizontalAdvance(name) + 10, 16));
    p.fillRect(tag, QColor(0x14, 0x15, 0x16, 190));
    p.setPen(QPen(colour, 1));
    p.drawText(tag, Qt::AlignCenter, name);
  }
  if (held_ >= 0 && grip_ == Grip::Cross) {
    if (const auto* t = shot::trackOf(shot, held_); t && t->has(frame))
      loupe(p, toScreen(t->where(frame)), t->where(frame));
  } else if (inHand() && pointer.x() >= 0) {
    loupe(p, pointer, toPlate(pointer));
  }
}

bool TrackerEditor::press(QMouseEvent* e) {
  if (!here() || e->button() != Qt::LeftButton) return false;
  if (inHand()) {
    const Vec2 at = toPlate(e->position());
    const auto& plate = session_->shot().plate();
    if (at.x() < 0 || at.y() < 0 || at.x() >= plate.width || at.y() >= plate.height) {
      session_->say(QObject::tr("Place the tracker on the plate."));
      return true;
    }
    int id = -1;
    session_->change(QObject::tr("place a tracker"),
                     [&](shot::Shot& s) { id = edit::addTracker(s, session_->frame(), at); });
    session_->setTool(Tool::Pick);
    session_->chooseTracker(id);
    return true;
  }
  std::tie(held_, grip_) = gripAt(e->position());
  if (held_ < 0) return false;
  session_->chooseTracker(held_);
  return true;
}

bool TrackerEditor::move(QMouseEvent* e) {
  if (held_ < 0) return inHand() && here();
  const auto* t = shot::trackOf(session_->shot(), held_);
  const int frame = session_->frame();
  if (!t || !t->hand || !t->has(frame)) return true;
  const Vec2 at = toPlate(e->position());
  track::Track next = *t;
  if (grip_ == Grip::Cross) {
    const auto m = e->modifiers();
    next = track::keyed(*t, frame, at,
                        m & Qt::ShiftModifier ? track::Correction::Here
                        : m & Qt::AltModifier ? track::Correction::FromHere
                                              : session_->correction());
  } else {
    track::ManualTracker hand = *t->hand;
    const int reach = static_cast<int>((at - t->where(frame)).cwiseAbs().maxCoeff() + 0.5);
    if (grip_ == Grip::Pattern)
      hand.half = std::clamp(reach, 3, 100);
    else
      hand.search = std::clamp(reach - hand.half, 2, 500);
    next.hand = std::make_shared<track::ManualTracker>(hand);
  }
  session_->change(
      grip_ == Grip::Cross ? QObject::tr("move %1").arg(QString::fromStdString(t->hand->name))
                           : QObject::tr("size %1").arg(QString::fromStdString(t->hand->name)),
      [&](shot::Shot& s) { edit::putTrack(s, next); },
      QString("tracker %1 %2").arg(held_).arg(static_cast<int>(grip_)));
  return true;
}

bool TrackerEditor::release(QMouseEvent*) {
  if (held_ < 0) return false;
  held_ = -1, grip_ = Grip::None;
  session_->endSeries();
  return true;
}

bool TrackerEditor::key(QKeyEvent* e, const QPointF&) {
  if (!here() || (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace)) return false;
  const int id = session_->tracker();
  if (!shot::trackOf(session_->shot(), id)) return false;
  session_->change(QObject::tr("remove a tracker"), [&](shot::Shot& s) { edit::removeTrack(s, id); });
  session_->chooseTracker(-1);
  return true;
}

bool TrackerEditor::cancel() {
  if (!inHand()) return false;
  session_->setTool(Tool::Pick);
  return true;
}

}  // namespace zentil::app
