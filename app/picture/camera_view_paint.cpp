// How the picture and what lies over it are painted.
#include <QPainter>
#include <cmath>
#include "app/picture/camera_view.h"
#include "app/widgets/style.h"

namespace zentil::app {

void CameraView::paintPicture(QPainter& p, const QImage& image) {
  const QRectF to = imageRect(image);
  // Above 200% single pixels are what one wants to see.
  if (scale_ >= 2) {
    p.fillRect(rect(), style::kAround);
    p.drawImage(to, image);
    return;
  }
  // Scaled once, then copied for as long as nothing but what lies over it changes.
  if (scaledOf_ != image.cacheKey() || scaledTo_ != to || scaled_.size() != size()) {
    if (scaled_.size() != size()) scaled_ = QImage(size(), QImage::Format_RGB32);
    QPainter onto(&scaled_);
    if (!to.contains(QRectF(rect()))) scaled_.fill(style::kAround);
    onto.setRenderHint(QPainter::SmoothPixmapTransform);
    onto.drawImage(to, image);
    scaledOf_ = image.cacheKey(), scaledTo_ = to;
  }
  p.drawImage(0, 0, scaled_);
}

void CameraView::paintGrid(QPainter& p) const {
  const auto& shot = session_->shot();
  const auto lens = shot.lensAt(session_->frame());
  // Sixteen squares across, counted from the optical centre, over all that the window shows.
  const double side = shot.width / 16.0 * pixelAspect() * scale_;
  const QPointF centre = onScreen({lens.cx, lens.cy});
  p.setRenderHint(QPainter::Antialiasing, false);
  const auto lines = [&](double middle, double end, bool upright) {
    for (double at = middle - std::floor(middle / side) * side; at < end; at += side) {
      const bool main = std::abs(at - middle) < 0.5;
      p.setPen(QPen(QColor(255, 255, 255, main ? 130 : 55), 1));
      if (upright)
        p.drawLine(QPointF(at, 0), QPointF(at, height()));
      else
        p.drawLine(QPointF(0, at), QPointF(width(), at));
    }
  };
  lines(centre.x(), width(), true);
  lines(centre.y(), height(), false);
  if (underMouse() && rect().contains(pointer_.toPoint())) {
    p.setPen(QPen(style::kAccent, 1));
    p.drawLine(QPointF(pointer_.x(), 0), QPointF(pointer_.x(), height()));
    p.drawLine(QPointF(0, pointer_.y()), QPointF(width(), pointer_.y()));
  }
}

void CameraView::paintTracks(QPainter& p) const {
  const Station here = session_->station();
  if (here != Station::Track && here != Station::Camera) return;
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  p.setRenderHint(QPainter::Antialiasing, false);
  if (shot.tracks->empty()) {
    const auto& jobs = engine_->jobs();
    if (here != Station::Track || jobs.featuresOn() != frame) return;
    p.setPen(QPen(style::kAccent, 1));
    for (const Vec2& f : jobs.features()) {
      const QPointF at = plateToWidget(f);
      p.drawRect(QRectF(at - QPointF(2, 2), QSizeF(4, 4)));
    }
    return;
  }
  std::map<int, const solve::TrackError*> errors;
  if (shot.solved)
    for (const auto& e : shot.solved->tracks) errors[e.id] = &e;
  // Where each came from over the last frames, and where it is; coloured by how well it fits.
  constexpr int kTail = 8;
  for (const auto& t : *shot.tracks) {
    if (!t.has(frame)) continue;
    const auto e = errors.find(t.id);
    const bool out = !t.on || (e != errors.end() && !e->second->used());
    const QColor colour = out                 ? QColor(0x8f, 0x94, 0x99, 150)
                          : e != errors.end() ? style::errorRamp(e->second->meanPx / 0.5)
                                              : style::kAccent;
    p.setPen(QPen(colour, 1));
    QPolygonF tail;
    for (int f = std::max(frame - kTail, t.first); f <= frame; ++f)
      if (t.has(f)) tail << plateToWidget(t.where(f));
    p.drawPolyline(tail);
    const QPointF at = plateToWidget(t.where(frame));
    if (here == Station::Camera && t.id == session_->tracker()) {
      p.setPen(QPen(style::kPin, 1.4));
      p.drawEllipse(at, 8, 8);
      p.setPen(QPen(colour, 1));
    }
    if (out) {
      p.drawLine(at - QPointF(2, 2), at + QPointF(2, 2));
      p.drawLine(at - QPointF(2, -2), at + QPointF(2, -2));
    } else {
      p.fillRect(QRectF(at - QPointF(1.5, 1.5), QSizeF(3, 3)), colour);
    }
  }
}

void CameraView::paintWipe(QPainter& p, Layer other) {
  const int frame = session_->frame();
  QImage before = engine_->image(frame, other);
  if (before.isNull()) before = engine_->latest(other).image;
  const double x = wipe_ * width();
  if (!before.isNull()) {
    p.save();
    p.setClipRect(QRectF(0, 0, x, height()));
    p.drawImage(imageRect(before), before);
    p.restore();
  }
  p.setPen(QPen(style::kAccent, 1.4));
  p.drawLine(QPointF(x, 0), QPointF(x, height()));
  p.setRenderHint(QPainter::Antialiasing);
  p.setBrush(style::kAccent);
  p.drawRoundedRect(QRectF(x - 5, height() / 2.0 - 16, 10, 32), 5, 5);
  p.setRenderHint(QPainter::Antialiasing, false);
  for (const bool left : {true, false}) {
    const QRectF tag = left ? QRectF(x - 62, 10, 54, 20) : QRectF(x + 8, 10, 46, 20);
    p.fillRect(tag, QColor(0x14, 0x15, 0x16, 217));
    p.setPen(QColor(0xdf, 0xe2, 0xe4));
    p.drawText(tag, Qt::AlignCenter,
               session_->view().against ? QString::number(left ? *session_->view().against : frame)
               : left                   ? tr("before")
                                        : tr("after"));
  }
}

QString CameraView::markFor(const Engine::Shown& shown) const {
  const QString making = shown.making.isEmpty()
                             ? QString()
                             : tr("making %1, %2 of %3").arg(shown.making).arg(shown.laid + 1).arg(shown.elements);
  switch (shown.what) {
    case Engine::Shown::Finished:
      return {};
    case Engine::Shown::Draft:
      return tr("draft from a few frames, all follow");
    case Engine::Shown::Parts:
      return making;
    case Engine::Shown::Plate:
      return making.isEmpty() ? tr("plate alone, elements follow") : tr("plate alone, %1").arg(making);
    case Engine::Shown::Before:
      return making.isEmpty() ? tr("as it was before, updating") : tr("as it was before, %1").arg(making);
    case Engine::Shown::OtherFrame:
      break;
  }
  return tr("still frame %1, reading %2").arg(shown.frame).arg(session_->frame());
}

void CameraView::paintMarks(QPainter& p, const Engine::Shown& shown) {
  const int frame = session_->frame();
  const bool hasPicture = !shown.image.isNull();
  if (const QString missing = engine_->missingAt(frame); hasPicture && !missing.isEmpty()) {
    p.fillRect(QRect(0, 0, width(), 26), QColor(0x2f, 0x2a, 0x22, 235));
    p.setPen(style::kWarn);
    p.drawText(QRect(10, 0, width() - 20, 26), Qt::AlignVCenter,
               p.fontMetrics().elidedText(missing, Qt::ElideRight, width() - 24));
  }
  if (const QString text = hasPicture ? markFor(shown) : QString(); !text.isEmpty()) {
    // A picture of another frame, or of settings from before, is never taken for the one that is asked for.
    const QRect tag(width() - p.fontMetrics().horizontalAdvance(text) - 28, 10,
                    p.fontMetrics().horizontalAdvance(text) + 18, 22);
    p.fillRect(tag, QColor(0x14, 0x15, 0x16, 217));
    p.setPen(style::kWarn);
    p.drawText(tag, Qt::AlignCenter, text);
  }
}

void CameraView::paintPlateBorder(QPainter& p) {
  const auto& shot = session_->shot();
  p.setRenderHint(QPainter::Antialiasing);
  QPolygonF border;
  const double w = shot.width, h = shot.height;
  for (int side = 0; side < 4; ++side)
    for (int k = 0; k < 40; ++k) {
      const double t = k / 40.0;
      border << plateToWidget(side == 0   ? Vec2(t * w, 0)
                              : side == 1 ? Vec2(w, t * h)
                              : side == 2 ? Vec2((1 - t) * w, h)
                                          : Vec2(0, (1 - t) * h));
    }
  p.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt::DashLine));
  p.setBrush(Qt::NoBrush);
  p.drawPolygon(border);
}

void CameraView::paintOverlays(QPainter& p) {
  if (session_->view().grid) paintGrid(p);
  if (session_->view().overlays) {
    const bool errors = session_->view().errors && session_->station() == Station::Camera;
    errors ? paintErrors(p) : paintTracks(p);
  }
  paintWorld(p);
  for (PictureTool* t : tools_)
    if (session_->view().overlays || t->inHand()) t->paint(p, pointer_);
  if (session_->view().overlays) {
    if (session_->view().held) paintHeld(p);
    paintNeverSeen(p);
    paintSlip(p);
  }
}

void CameraView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto& shot = session_->shot();
  if (shot.plate().empty()) {
    p.fillRect(rect(), style::kAround);
    p.setPen(style::kQuiet);
    p.drawText(rect(), Qt::AlignCenter,
               tr("Drop a plate here: a frame of an image sequence, or a movie.\nThen its camera (glTF or CSV), lens "
                  "and points."));
    return;
  }
  const Compare compare = session_->view().compare;
  const int frame = session_->frame();
  const Layer other = session_->view().against ? Layer::Other : Layer::Plate;
  Layer main = Layer::Built;
  if (compare == Compare::Difference) main = Layer::Difference;
  if (compare == Compare::Flicker && flicker_) main = other;
  const Engine::Shown shown = engine_->shown(frame, main);
  const QImage& image = shown.image;
  upToDate_ = !image.isNull() && shown.what == Engine::Shown::Finished && !session_->draft();
  if (image.isNull()) {
    p.fillRect(rect(), style::kAround);
    p.setPen(style::kQuiet);
    const QString problem = engine_->problemAt(frame);
    p.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
               problem.isEmpty() ? tr("reading frame %1").arg(frame) : problem);
  } else {
    paintPicture(p, image);
    if (upToDate_) painter_.pictureIsCurrent();
    if (main == Layer::Built)
      painter_.paintFresh(p, [this](const QRectF& r) {
        return QRectF(onScreen(Vec2(r.left(), r.top())), QSizeF(r.width() * pixelAspect(), r.height()) * scale_);
      });
  }
  if (compare == Compare::Wipe) paintWipe(p, other);
  paintMarks(p, shown);
  const View& v = session_->view();
  if (look() && (v.delivered || (v.straight && !flat()))) paintPlateBorder(p);
  paintOverlays(p);
  emit framePainted(frame);
}

}  // namespace zentil::app
