#include "app/picture/spot_picker.h"

#include <QCoreApplication>
#include <QMouseEvent>
#include <QPainter>

#include "app/widgets/style.h"
#include "core/base/error.h"
#include "core/edit/spots.h"
#include "core/estimate/spot_depth.h"

namespace zentil::app {

const set::Spot* SpotPicker::chosen() const { return session_->shot().spot(session_->spot().toStdString()); }

bool SpotPicker::onScreen(const Vec3& world, int frame, QPointF& at) const {
  const auto& shot = session_->shot();
  if (!shot.hasCamera(frame)) return false;
  Vec2 plate;
  if (!shot.viewAt(frame)->see(world, plate)) return false;
  at = toScreen(plate);
  return true;
}

void SpotPicker::paint(QPainter& p, const QPointF& pointer) {
  const auto& shot = session_->shot();
  const bool here = session_->station() == Station::Set || session_->station() == Station::Deliver;
  if (!here && !inHand()) return;
  const int frame = session_->frame();
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& spot : shot.spots) {
    QPointF middle;
    if (!onScreen(spot.position, frame, middle)) continue;
    const bool is = session_->spot().toStdString() == spot.id;
    const QColor colour = is ? style::kAccent : QColor(0xdf, 0xe2, 0xe4, 200);
    // A square of four fields on what it lies on.
    const auto corners = spot.corners();
    const auto between = [&](double u, double v) -> Vec3 {
      return (1 - u) * (1 - v) * corners[0] + u * (1 - v) * corners[1] + u * v * corners[2] + (1 - u) * v * corners[3];
    };
    for (const auto& [pen, width] : {std::pair(QColor(0, 0, 0, 140), 3.0), std::pair(colour, 1.2)}) {
      p.setPen(QPen(pen, width));
      for (const double t : {0.0, 0.5, 1.0}) {
        QPointF a, b;
        if (onScreen(between(t, 0), frame, a) && onScreen(between(t, 1), frame, b)) p.drawLine(a, b);
        if (onScreen(between(0, t), frame, a) && onScreen(between(1, t), frame, b)) p.drawLine(a, b);
      }
    }
    if (is) {
      // Its way over the shot.
      QPolygonF way;
      for (const auto& [f, pose] : shot.camera->poses)
        if (QPointF at; shot.range.contains(f) && onScreen(spot.position, f, at)) way << at;
      for (const auto& [pen, width] : {std::pair(QColor(0, 0, 0, 160), 3.0), std::pair(style::kAccent, 1.2)}) {
        p.setPen(QPen(pen, width));
        p.drawPolyline(way);
      }
    }
    const QString name = QString::fromStdString(spot.name);
    QRectF tag(middle + QPointF(8, -20), QSizeF(p.fontMetrics().horizontalAdvance(name) + 8, 16));
    p.fillRect(tag, QColor(0x14, 0x15, 0x16, 200));
    p.setPen(colour);
    p.drawText(tag, Qt::AlignCenter, name);
  }
  if (session_->tool() == Tool::SecondSpot) {
    const auto* spot = chosen();
    if (spot && spot->frame != frame) try {
        QPolygonF line;
        for (const Vec2& at : estimate::lineOn(shot, spot->frame, spot->pixel, frame)) line << toScreen(at);
        p.setPen(QPen(style::kPin, 1.4));
        p.drawPolyline(line);
      } catch (const Error&) {
        // Said when it is clicked.
      }
  }
  if (inHand()) loupe(p, pointer, toPlate(pointer));
}

bool SpotPicker::press(QMouseEvent* e) {
  if (!inHand() || e->button() != Qt::LeftButton) return false;
  const Vec2 at = toPlate(e->position());
  if (session_->tool() == Tool::Spot)
    engine_->jobs().findSpot(at);
  else
    engine_->jobs().showSpot(session_->spot(), at);
  return true;
}

bool SpotPicker::wants(QKeyEvent* e) const {
  return inHand() && chosen() && e->key() >= Qt::Key_Left && e->key() <= Qt::Key_Down;
}

bool SpotPicker::key(QKeyEvent* e, const QPointF&) {
  if (!inHand() || !chosen()) return false;
  const double by = e->modifiers() & Qt::ShiftModifier ? 5 : 0.5;
  Vec2 step = Vec2::Zero();
  switch (e->key()) {
    case Qt::Key_Left:
      step.x() = -by;
      break;
    case Qt::Key_Right:
      step.x() = by;
      break;
    case Qt::Key_Up:
      step.y() = -by;
      break;
    case Qt::Key_Down:
      step.y() = by;
      break;
    default:
      return false;
  }
  const std::string id = session_->spot().toStdString();
  session_->change(
      QCoreApplication::translate("SpotPicker", "move a spot"),
      [&](shot::Shot& s) { edit::nudgeSpot(s, id, session_->frame(), step); }, "nudge " + session_->spot());
  return true;
}

}  // namespace zentil::app
