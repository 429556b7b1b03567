// What measurements say, marked on the picture: slip and its tiles, places that no frame shows.
#include "app/picture/camera_view.h"

#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"
#include "core/base/error.h"
#include "core/comp/cover.h"

namespace zentil::app {

void CameraView::paintTiles(QPainter& p, const measure::SlipAt& s) {
  // What was measured around it, and what was left out for moving otherwise.
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setBrush(Qt::NoBrush);
  const double half = 3;
  for (const auto& t : s.tiles) {
    const QPointF at = plateToWidget(t.at);
    p.setPen(QPen(t.counts ? QColor(0x6f, 0xc3, 0xb2, 170) : style::kWarn, 1));
    if (t.counts) {
      p.drawRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half));
    } else {
      p.drawLine(at - QPointF(half, half), at + QPointF(half, half));
      p.drawLine(at - QPointF(half, -half), at + QPointF(half, -half));
    }
  }
  p.setRenderHint(QPainter::Antialiasing);
}

void CameraView::paintNeverSeen(QPainter& p) {
  const auto* f = session_->station() == Station::Work ? engine_->jobs().found() : nullptr;
  if (!f || f->neverSeenPx <= 0 || f->target != session_->frame()) return;
  const image::Picture& m = f->neverSeen;
  p.setRenderHint(QPainter::Antialiasing, false);
  // Hatched, so that what is there shows between.
  for (int y = m.data.y0; y < m.data.y1; y += 2)
    for (int x = m.data.x0; x < m.data.x1;) {
      int end = x;
      while (end<m.data.x1&& * m.pixel(end, y)> 0) ++end;
      if (end > x)
        p.fillRect(QRectF(plateToWidget({x, y}), plateToWidget({end, y + 1})), QColor(0xe0, 0x9a, 0x3e, 170));
      x = end + 1;
    }
  p.setRenderHint(QPainter::Antialiasing);
}

void CameraView::paintSlip(QPainter& p) {
  if (session_->station() != Station::Work || pointer_.x() < 0 || session_->tool() != Tool::Pick || mattes_.drawing())
    return;
  const Vec2 at = widgetToPlate(pointer_);
  const auto& shot = session_->shot();
  // The topmost element whose matte is under the pointer.
  for (auto e = shot.elements.rbegin(); e != shot.elements.rend(); ++e) {
    if (!e->shows(session_->frame())) continue;
    const auto* slip = engine_->meter().slipOf(QString::fromStdString(e->id));
    if (!slip) continue;
    for (const auto& s : slip->frames) {
      if (s.frame != session_->frame()) continue;
      try {
        const auto state = session_->evaluator()->only(e->id, s.frame);
        const auto* layer = state.layer(e->id);
        if (!layer || !comp::coverBox(layer->cover, *state.here, engine_->cache())
                           .contains(static_cast<int>(at.x()), static_cast<int>(at.y())))
          continue;
      } catch (const Error&) {
        continue;
      }
      paintTiles(p, s);
      const QString text = s.known ? tr("%1: slip %2 \u00b1 %3 px here · worst %4 at %5 · from %6 of %7 places")
                                         .arg(QString::fromStdString(e->name))
                                         .arg(s.at(at).norm(), 0, 'f', 2)
                                         .arg(s.sigmaPx, 0, 'f', 2)
                                         .arg(slip->lockPx, 0, 'f', 2)
                                         .arg(slip->lockFrame)
                                         .arg(s.tilesUsed)
                                         .arg(s.tilesSeen)
                                   : tr("%1: slip could not be measured here, %2")
                                         .arg(QString::fromStdString(e->name), QString::fromStdString(s.why));
      QRectF box = QRectF(p.fontMetrics().boundingRect(text)).adjusted(-8, -5, 8, 5);
      box.moveTopLeft(pointer_ + QPointF(16, 18));
      if (box.right() > width() - 6) box.moveRight(width() - 6);
      if (box.bottom() > height() - 6) box.moveBottom(pointer_.y() - 10);
      p.setPen(Qt::NoPen);
      p.setBrush(QColor(0x14, 0x15, 0x16, 220));
      p.drawRoundedRect(box, 4, 4);
      p.setPen(s.known && s.px() < 0.3 ? QColor(0xdf, 0xe2, 0xe4) : style::kWarn);
      p.drawText(box, Qt::AlignCenter, text);
      return;
    }
  }
}

void CameraView::paintErrors(QPainter& p) const {
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  if (session_->station() != Station::Camera || !shot.solved || !shot.hasCamera(frame)) return;
  constexpr double kTimes = 50;
  std::map<int, Vec3> places;
  for (const auto& point : *shot.points) places[point.id] = point.at;
  const auto view = shot.viewAt(frame);
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& t : *shot.tracks) {
    const auto at = places.find(t.id);
    Vec2 there;
    if (at == places.end() || !t.on || !t.has(frame) || !view->see(at->second, there)) continue;
    const Vec2 off = t.where(frame) - there;
    p.setPen(QPen(style::errorRamp(off.norm() / 0.5), 1.3));
    p.drawLine(plateToWidget(there), plateToWidget(there + kTimes * off));
  }
  const QRectF tag(8, 8, 176, 20);
  p.fillRect(tag, QColor(0x14, 0x15, 0x16, 217));
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  p.drawText(tag, Qt::AlignCenter, tr("errors, %1 times enlarged").arg(kTimes));
}

void CameraView::paintHeld(QPainter& p) const {
  const auto& shot = session_->shot();
  if (session_->station() != Station::Camera || !shot.solved) return;
  const auto& held = shot.solved->evidence;
  const auto it = held.slipPx.lower_bound(session_->frame()), built = held.builtPx.lower_bound(session_->frame());
  if (it == held.slipPx.end() || built == held.builtPx.end()) return;
  const double much = held.weakPx(), muchBuilt = held.builtWeakPx();
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  p.setFont(mono);
  p.setRenderHint(QPainter::Antialiasing, false);
  const double w = shot.width, h = shot.height;
  constexpr int kX = solve::Evidence::kAcross, kY = solve::Evidence::kDown;
  for (int y = 0; y < kY; ++y)
    for (int x = 0; x < kX; ++x) {
      const auto part = static_cast<size_t>(y * kX + x);
      const double slip = it->second[part], measured = built->second[part];
      const QRectF cell(plateToWidget({x * w / kX, y * h / kY}), plateToWidget({(x + 1) * w / kX, (y + 1) * h / kY}));
      const bool weak = slip > much, weakBuilt = measured > muchBuilt;
      p.setPen(QPen(weak ? style::kWarn : QColor(255, 255, 255, 40), weak ? 1.6 : 1));
      p.setBrush(weak ? QBrush(QColor(0xe2, 0xa4, 0x58, 60), Qt::BDiagPattern) : QBrush(Qt::NoBrush));
      p.drawRect(cell.adjusted(1, 1, -1, -1));
      QRectF tag(0, 0, 84, 34);
      tag.moveCenter(cell.center());
      p.fillRect(tag, QColor(0x14, 0x15, 0x16, 190));
      p.setPen(weak ? style::kWarn : QColor(0xdf, 0xe2, 0xe4));
      p.drawText(tag.adjusted(0, 2, 0, -16), Qt::AlignCenter, tr("%1 px").arg(slip, 0, 'f', slip < 0.1 ? 3 : 2));
      p.setPen(weakBuilt ? style::kWarn : QColor(0xa6, 0xab, 0xb0));
      p.drawText(tag.adjusted(0, 16, 0, -2), Qt::AlignCenter, tr("built %1").arg(measured, 0, 'f', 2));
    }
}

}  // namespace zentil::app
