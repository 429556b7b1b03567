// The strip's curves: slip, the solve's errors, frames weighed as sources.
#include "app/strip/strip.h"

#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"

namespace zentil::app {

double Strip::slipTopNow() const {
  double top = 0.1;
  for (const auto& e : session_->shot().elements)
    if (const auto* s = engine_->meter().slipOf(QString::fromStdString(e.id))) top = std::max(top, s->lockPx * 1.15);
  return top;
}

double Strip::yOfSlip(double px) const {
  return kSlipBottom - std::clamp(px / slipTop_, 0.0, 1.0) * (kSlipBottom - kSlipTop);
}

bool Strip::showsFit() const {
  const Station here = session_->station();
  return (here == Station::Track || here == Station::Camera) && session_->shot().solved;
}

double Strip::fitTop() const {
  double top = 0.1;
  const auto& e = *session_->shot().solved;
  for (const auto& [f, rms] : e.perFrame) top = std::max(top, 1.1 * rms);
  double built = 0;
  for (const auto& [f, cells] : e.evidence.slipPx) {
    top = std::max(top, 1.1 * e.evidence.worstOn(f));
    built = std::max(built, 1.1 * e.evidence.builtWorstOn(f));
  }
  // What is built to measure may slip so far that nothing else would be seen.
  top = std::max(top, std::min(built, 3 * top));
  return std::min(top, 5.0);
}

void Strip::paintFit(QPainter& p) {
  const auto& e = *session_->shot().solved;
  const double top = fitTop();
  const auto yOf = [&](double px) { return kSlipBottom - std::clamp(px / top, 0.0, 1.0) * (kSlipBottom - kSlipTop); };
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(10);
  p.setFont(mono);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(style::kLine, 1));
  p.drawLine(QPointF(kLeft, kSlipBottom), QPointF(width() - kRight, kSlipBottom));
  p.setPen(QPen(style::kLine, 1, Qt::DotLine));
  const double mark = top > 1 ? 1 : 0.1;
  p.drawLine(QPointF(kLeft, yOf(mark)), QPointF(width() - kRight, yOf(mark)));
  p.setPen(style::kQuiet);
  label(p, QRectF(kLeft - 34, yOf(mark) - 7, 30, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(mark));
  // What is left over, and how far what is put there may slip in the worst part of each frame.
  QPolygonF rms, slip, built;
  for (const auto& [f, px] : e.perFrame) rms << QPointF(xOf(f), yOf(px));
  double worst = 0, worstBuilt = 0;
  int worstOn = 0;
  const double much = e.evidence.weakPx();
  const double cell = (width() - kLeft - kRight) / std::max(1.0, session_->shot().range.count() - 1.0);
  for (const auto& [f, cells] : e.evidence.slipPx) {
    const double px = e.evidence.worstOn(f);
    slip << QPointF(xOf(f), yOf(px));
    if (px > worst) worst = px, worstOn = f;
    const double builtPx = e.evidence.builtWorstOn(f);
    worstBuilt = std::max(worstBuilt, builtPx);
    built << QPointF(xOf(f), yOf(builtPx));
    if (px > much) p.fillRect(QRectF(xOf(f) - cell / 2, kSlipBottom + 1, cell + 0.5, 4), style::kWarn);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0xc9, 0xcc, 0xd0, 150), 1.1));
  p.drawPolyline(rms);
  // Of what is built to measure, quieter.
  p.setPen(QPen(style::kAccent, 1, Qt::DashLine));
  p.drawPolyline(built);
  p.setPen(QPen(style::kAccent, 1.6));
  p.drawPolyline(slip);
  if (!rms.isEmpty()) {
    p.setPen(QColor(0xc9, 0xcc, 0xd0, 200));
    label(p, QRectF(kLeft + 4, kSlipTop - 4, 240, 14), Qt::AlignLeft, tr("error %1 px").arg(e.rmsPx, 0, 'f', 2));
  }
  if (worst > 0) {
    const QPointF at(xOf(worstOn), yOf(worst));
    p.setPen(Qt::NoPen);
    p.setBrush(style::kAccent);
    p.drawEllipse(at, 3, 3);
    p.setPen(QColor(0x9f, 0xd6, 0xc9));
    constexpr double kWide = 250;
    const bool right = at.x() < width() - kWide - 20;
    label(p, QRectF(right ? at.x() + 6 : at.x() - kWide - 6, at.y() - 14, kWide, 14),
          right ? Qt::AlignLeft : Qt::AlignRight,
          tr("may slip %1 px, modelled %2").arg(worst, 0, 'f', worst < 0.1 ? 3 : 2).arg(worstBuilt, 0, 'f', 2));
  }
}

const measure::FoundFrames* Strip::found() const {
  const auto* f = session_->station() == Station::Work ? engine_->jobs().found() : nullptr;
  return f && session_->element() == QString::fromStdString(f->element) ? f : nullptr;
}

void Strip::paintFound(QPainter& p) {
  const auto& f = *found();
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(style::kLine, 1));
  p.drawLine(QPointF(kLeft, kSlipBottom), QPointF(width() - kRight, kSlipBottom));
  // The lower the better. What is four times as far off as the best, or more, lies at the top.
  const double top = 4 * f.at(f.best)->away;
  const auto at = [&](const measure::FoundFrame& x) {
    return QPointF(xOf(x.frame), kSlipBottom - (top > 0 ? std::min(1.0, x.away / top) : 0) * (kSlipBottom - kSlipTop));
  };
  const double cell = (width() - kLeft - kRight) / std::max(1.0, session_->shot().range.count() - 1.0);
  QPolygonF line;
  const auto flush = [&] {
    p.setPen(QPen(style::kAccent, 1.6));
    p.setBrush(Qt::NoBrush);
    line.size() > 1 ? p.drawPolyline(line) : p.drawPoints(line);
    line.clear();
  };
  for (const auto& x : f.frames) {
    if (x.usable) {
      line << at(x);
      continue;
    }
    flush();
    p.fillRect(QRectF(xOf(x.frame) - cell / 2, kSlipBottom + 1, cell + 0.5, 3), style::kWarn);
  }
  flush();
  const QPointF best = at(*f.at(f.best));
  p.setPen(Qt::NoPen);
  p.setBrush(style::kAccent);
  p.drawEllipse(best, 3.5, 3.5);
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(10);
  p.setFont(mono);
  p.setPen(QColor(0x9f, 0xd6, 0xc9));
  const bool right = best.x() < width() - 120;
  label(p, QRectF(right ? best.x() + 6 : best.x() - 106, std::max<double>(best.y() - 14, kSlipTop), 100, 14),
        right ? Qt::AlignLeft : Qt::AlignRight, tr("best %1").arg(f.best));
}

void Strip::paintSlip(QPainter& p) {
  const auto& shot = session_->shot();
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(10);
  // Slip: a curve an element, the chosen one bright; gaps where it cannot be told.
  p.setRenderHint(QPainter::Antialiasing);
  const double top = slipTop_;
  const bool tenthFits = top > 0.1001;
  p.setPen(QPen(style::kLine, 1));
  p.drawLine(QPointF(kLeft, kSlipBottom), QPointF(width() - kRight, kSlipBottom));
  const double mark = tenthFits ? 0.1 : 0.05;
  p.setPen(QPen(style::kLine, 1, Qt::DotLine));
  p.drawLine(QPointF(kLeft, yOfSlip(mark)), QPointF(width() - kRight, yOfSlip(mark)));
  p.setPen(style::kQuiet);
  p.setFont(mono);
  label(p, QRectF(kLeft - 34, yOfSlip(mark) - 7, 30, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(mark));
  for (const bool chosenOnes : {false, true})
    for (const auto& e : shot.elements) {
      const QString id = QString::fromStdString(e.id);
      const bool chosen = id == session_->element();
      if (chosen != chosenOnes) continue;
      const auto* slip = engine_->meter().slipOf(id);
      if (!slip) continue;
      QPolygonF line;
      const auto flush = [&] {
        p.setPen(QPen(chosen ? style::kAccent : QColor(0xc9, 0xcc, 0xd0, 120), chosen ? 1.6 : 1.1));
        p.setBrush(Qt::NoBrush);
        if (line.size() > 1)
          p.drawPolyline(line);
        else if (line.size() == 1)
          p.drawPoint(line.first());
        line.clear();
      };
      for (const auto& s : slip->frames) {
        if (s.known)
          line << QPointF(xOf(s.frame), yOfSlip(s.px()));
        else
          flush();
      }
      flush();
      // Where the chosen one's cannot be told; the pointer there says why.
      const double cell = (width() - kLeft - kRight) / std::max(1.0, shot.range.count() - 1.0);
      if (chosen)
        for (const auto& s : slip->frames)
          if (!s.known) p.fillRect(QRectF(xOf(s.frame) - cell / 2, kSlipBottom + 1, cell + 0.5, 3), style::kWarn);
      if (chosen && slip->lockPx > 0) {
        const QPointF worst(xOf(slip->lockFrame), yOfSlip(slip->lockPx));
        p.setBrush(slip->lockPx > 0.3 ? style::kWarn : style::kAccent);
        p.setPen(Qt::NoPen);
        p.drawEllipse(worst, 3, 3);
        p.setPen(slip->lockPx > 0.3 ? style::kWarn : QColor(0x9f, 0xd6, 0xc9));
        const bool right = worst.x() < width() - 120;
        label(p, QRectF(right ? worst.x() + 6 : worst.x() - 106, worst.y() - 14, 100, 14),
              right ? Qt::AlignLeft : Qt::AlignRight, tr("%1 px").arg(slip->lockPx, 0, 'f', 2));
      }
    }
  if (engine_->meter().measuring()) {
    p.setPen(style::kQuiet);
    label(p, QRectF(width() - 120, kSlipBottom - 14, 100, 14), Qt::AlignRight, tr("measuring"));
  }
}

}  // namespace zentil::app
