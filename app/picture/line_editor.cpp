#include "app/picture/line_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/widgets/style.h"
#include "core/lens/snap.h"

namespace zentil::app {

std::vector<Vec2> LineEditor::snapped(const std::vector<Vec2>& points, double reach, bool evenly) const {
  if (!session_->shot().hasPlate()) return points;
  const evaluate::FileAt file = session_->evaluator()->plateAt(session_->frame());
  // Only what is decoded already: a frame that is shown is.
  if (!engine_->cache().hasFrame(file)) return points;
  try {
    return lens::snapLine(engine_->cache().frame(file)->forReading(), points, reach, evenly).points;
  } catch (const std::exception&) {
    return points;
  }
}

std::pair<int, int> LineEditor::gripAt(const QPointF& at) const {
  const auto& lines = session_->shot().lines;
  for (size_t i = 0; i < lines.size(); ++i)
    for (size_t k = 0; lines[i].frame == session_->frame() && k < lines[i].points.size(); ++k)
      if (QLineF(toScreen(lines[i].points[k]), at).length() < 7) return {static_cast<int>(i), static_cast<int>(k)};
  return {-1, -1};
}

void LineEditor::paintResiduals(QPainter& p, const lens::StraightLine& line) {
  const auto& shot = session_->shot();
  if (shot.projection == shot::Projection::Sphere) return;
  // How far each point lies beside the straight line that its lens makes of them, enlarged.
  constexpr double kTimes = 25;
  const auto off = lens::besideOf(line, shot.lensAt(line.frame));
  for (size_t i = 0; i < off.size(); ++i) {
    if (!(off[i].norm() > 0.02)) continue;
    const QPointF at = toScreen(line.points[i]);
    p.setPen(QPen(off[i].norm() > 0.5 ? style::kWarn : QColor(0xdf, 0xe2, 0xe4), 1.2));
    p.drawLine(at, at + QPointF(off[i].x(), off[i].y()) * kTimes);
  }
}

void LineEditor::paint(QPainter& p, const QPointF& pointer) {
  if (!here()) return;
  p.setRenderHint(QPainter::Antialiasing);
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  p.setFont(mono);
  const auto& shot = session_->shot();
  const auto draw = [&](const std::vector<Vec2>& points, const QColor& colour) {
    QPolygonF line;
    for (const Vec2& q : points) line << toScreen(q);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(0, 0, 0, 120), 3));
    p.drawPolyline(line);
    p.setPen(QPen(colour, 1.4));
    p.drawPolyline(line);
    for (const QPointF& q : line) {
      p.setPen(QPen(QColor(0x14, 0x15, 0x16), 1));
      p.setBrush(colour);
      p.drawEllipse(q, 3.2, 3.2);
    }
  };
  for (size_t i = 0; i < shot.lines.size(); ++i) {
    const auto& l = shot.lines[i];
    if (l.frame != session_->frame() || l.points.empty()) continue;
    draw(l.points, l.on ? style::kAccent : style::kQuiet);
    paintResiduals(p, l);
    if (!shot.hasCamera(l.frame) || shot.projection == shot::Projection::Sphere) continue;
    const QPointF at = toScreen(l.points[l.points.size() / 2]) + QPointF(8, -8);
    const QString text =
        QObject::tr("%1: bow %2 px").arg(i + 1).arg(lens::bowOf(l, shot.lensAt(l.frame)).px, 0, 'f', 2);
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x14, 0x15, 0x16, 200));
    p.drawRoundedRect(QRectF(p.fontMetrics().boundingRect(text)).adjusted(-5, -3, 5, 3).translated(at), 3, 3);
    p.setPen(QColor(0xdf, 0xe2, 0xe4));
    p.drawText(at, text);
  }
  if (!fresh_.empty()) {
    auto points = fresh_;
    if (pointer.x() >= 0) points.push_back(toPlate(pointer));
    draw(points, Qt::white);
  }
  if (line_ >= 0 && line_ < static_cast<int>(shot.lines.size()))
    loupe(p, pointer, shot.lines[static_cast<size_t>(line_)].points[static_cast<size_t>(point_)]);
  else if (session_->tool() == Tool::Line && pointer.x() >= 0)
    loupe(p, pointer, toPlate(pointer));
}

bool LineEditor::press(QMouseEvent* e) {
  if (!here() || e->button() != Qt::LeftButton) return false;
  if (session_->tool() == Tool::Line) {
    fresh_.push_back(toPlate(e->position()));
    return true;
  }
  std::tie(line_, point_) = gripAt(e->position());
  return line_ >= 0;
}

bool LineEditor::move(QMouseEvent* e) {
  if (line_ < 0) return session_->tool() == Tool::Line && here();
  auto points = session_->shot().lines[static_cast<size_t>(line_)].points;
  points[static_cast<size_t>(point_)] = toPlate(e->position());
  if (!(e->modifiers() & Qt::ShiftModifier))
    points[static_cast<size_t>(point_)] = snapped(points, 3, false)[static_cast<size_t>(point_)];
  session_->change(
      QObject::tr("move a point of line %1").arg(line_ + 1),
      [&](shot::Shot& s) { s.lines[static_cast<size_t>(line_)].points = points; },
      QString("line %1 %2").arg(line_).arg(point_));
  return true;
}

bool LineEditor::release(QMouseEvent*) {
  if (line_ < 0) return false;
  line_ = point_ = -1;
  session_->endSeries();
  return true;
}

bool LineEditor::doubleClick(QMouseEvent* e) {
  if (fresh_.empty()) return false;
  // The first click of the two has set the last point.
  finish(!(e->modifiers() & Qt::ShiftModifier));
  return true;
}

void LineEditor::finish(bool snaps) {
  if (fresh_.size() < 3) {
    session_->say(QObject::tr("A line needs three points or more: two cannot show how it bows. Click again along it."));
    return;
  }
  lens::StraightLine line;
  line.points = snaps ? snapped(fresh_, 6, true) : fresh_;
  line.frame = session_->frame();
  fresh_.clear();
  session_->change(QObject::tr("draw a line"), [&](shot::Shot& s) {
    line.id = shot::freshId(s, 'l');
    s.lines.push_back(line);
  });
}

bool LineEditor::key(QKeyEvent* e, const QPointF& pointer) {
  if (!here()) return false;
  if (!fresh_.empty()) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
      finish(!(e->modifiers() & Qt::ShiftModifier));
      return true;
    }
    if (e->key() == Qt::Key_Backspace) {
      fresh_.pop_back();
      return true;
    }
  }
  if (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace) return false;
  const auto [line, point] = gripAt(pointer);
  if (line < 0) return false;
  session_->change(QObject::tr("take a point away"), [line = line, point = point](shot::Shot& s) {
    auto& l = s.lines[static_cast<size_t>(line)];
    l.points.erase(l.points.begin() + point);
    if (l.points.size() < 3) s.lines.erase(s.lines.begin() + line);
  });
  return true;
}

bool LineEditor::cancel() {
  if (fresh_.empty()) return false;
  fresh_.clear();
  return true;
}

}  // namespace zentil::app
