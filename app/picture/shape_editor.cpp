#include "app/picture/shape_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/widgets/style.h"
#include "core/base/error.h"
#include "core/comp/sight.h"
#include "core/edit/make.h"

namespace zentil::app {

ShapeEditor::Target ShapeEditor::chosen() const {
  Target t;
  const auto& shot = session_->shot();
  const matte::Matte* m = nullptr;
  if (session_->station() == Station::Work) {
    const auto* e = shot.element(session_->element().toStdString());
    m = shot.matte(session_->matte().toStdString());
    if (!m && e) m = shot.matte(e->matte());
  } else if (session_->station() == Station::Track) {
    m = shot.matte(shot.tracking.matte);
  }
  if (!m) return t;
  const auto* p = m->part(session_->part().toStdString());
  // Without a choice, the first part that is drawn.
  if (!p) p = matte::firstOfShapes(*m);
  if (!p) return t;
  t.matte = m->id, t.part = p->id, t.path = "mattes." + m->id + ".parts." + p->id + ".";
  t.of = p, t.drawn = matte::shapesOf(*p);
  return t;
}

map::MapPtr ShapeEditor::carrier(const Target& t, bool toShown) const {
  const std::tuple now{session_->history().revision(), session_->frame(), t.path};
  if (carrierOf_ != now) {
    const auto& shot = session_->shot();
    const auto* e = shot.element(session_->element().toStdString());
    const auto evaluator = session_->evaluator();
    there_ = back_ = nullptr;
    try {
      const auto part =
          evaluator->partAt(*shot.matte(t.matte), *t.of, e ? e->surface() : std::string(), session_->frame());
      there_ = comp::ridingMap(part, *evaluator->stage(session_->frame()), true, engine_->cache());
      back_ = comp::ridingMap(part, *evaluator->stage(session_->frame()), false, engine_->cache());
    } catch (const Error&) {
      // What cannot ride to here is named where the picture is made; it is shown as it was drawn.
    }
    carrierOf_ = now;
  }
  return toShown ? there_ : back_;
}

bool ShapeEditor::shown(const Target& t, const Vec2& drawn, QPointF& at) const {
  Vec2 p = drawn;
  if (const auto c = carrier(t, true); c && !map::through(*c, drawn, p)) return false;
  at = toScreen(p);
  return true;
}

bool ShapeEditor::drawn(const Target& t, const QPointF& at, Vec2& out) const {
  const Vec2 p = toPlate(at);
  out = p;
  const auto c = carrier(t, false);
  return !c || map::through(*c, p, out);
}

QPolygonF ShapeEditor::outline(const Target& t, const std::vector<Vec2>& points) const {
  QPolygonF out;
  for (const Vec2& p : points) {
    QPointF at;
    if (shown(t, p, at)) out << at;
  }
  return out;
}

void ShapeEditor::changePoints(const QString& what, const Target& t, int shape,
                               const std::function<void(matte::ShapePoints&)>& change, const QString& series) {
  const std::string matteId = t.matte, part = t.part;
  const int frame = session_->frame();
  session_->change(
      what, [&](shot::Shot& shot) { edit::changeShape(shot, matteId, part, shape, frame, change); }, series);
}

void ShapeEditor::paint(QPainter& p, const QPointF& pointer) {
  p.setRenderHint(QPainter::Antialiasing);
  if (const Target m = chosen()) {
    const double soft = m.of->softPx.at(session_->frame());
    for (const auto& s : m.drawn->shapes) {
      const auto points = s.points.at(session_->frame());
      const auto line = matte::flatten(points, 12);
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(QColor(0, 0, 0, 130), 3));
      p.drawPolygon(outline(m, line));
      p.setPen(QPen(Qt::white, 1.4, s.adds ? Qt::SolidLine : Qt::DotLine));
      p.drawPolygon(outline(m, line));
      // Where the feather ends: the outline pushed outwards.
      std::vector<Vec2> outer;
      double area = 0;
      for (size_t i = 0; i < line.size(); ++i) {
        const Vec2 &a = line[i], &b = line[(i + 1) % line.size()];
        area += a.x() * b.y() - b.x() * a.y();
      }
      const double side = area > 0 ? 1 : -1;
      bool feathered = false;
      for (size_t i = 0; i < line.size(); ++i) {
        const Vec2 t = line[(i + 1) % line.size()] - line[(i + line.size() - 1) % line.size()];
        const auto& point = points[i / 12];
        const double f = point.featherPx < 0 ? soft : point.featherPx;
        feathered |= f > 0;
        outer.push_back(t.norm() > 0 ? Vec2(line[i] + side * f * Vec2(t.y(), -t.x()).normalized()) : line[i]);
      }
      if (feathered) {
        p.setPen(QPen(QColor(255, 255, 255, 110), 1, Qt::DashLine));
        p.drawPolygon(outline(m, outer));
      }
    }
    const Grip hot = dragging_ ? grip_ : gripAt(pointer);
    for (size_t k = 0; k < m.drawn->shapes.size(); ++k) {
      const auto points = m.drawn->shapes[k].points.at(session_->frame());
      for (size_t i = 0; i < points.size(); ++i) {
        const auto& q = points[i];
        QPointF at;
        if (!shown(m, q.at, at)) continue;
        const bool here = hot.shape == static_cast<int>(k) && hot.point == static_cast<int>(i);
        if (here || (grip_.shape == static_cast<int>(k) && grip_.point == static_cast<int>(i)))
          for (const Vec2& h : {q.in, q.out}) {
            QPointF end;
            if (h.isZero() || !shown(m, q.at + h, end)) continue;
            p.setPen(QPen(style::kAccent, 1.2));
            p.drawLine(at, end);
            p.setBrush(style::kAccent);
            p.drawRect(QRectF(end - QPointF(2.5, 2.5), QSizeF(5, 5)));
          }
        p.setPen(QPen(QColor(0, 0, 0, 160), 1));
        p.setBrush(here && hot.part == 0 ? style::kAccent : Qt::white);
        p.drawEllipse(at, 3.6, 3.6);
      }
    }
  }
  if (drawing()) {
    // Not closed yet: on the shown frame itself.
    const matte::ShapePoints& open = fresh_;
    QPolygonF line;
    const auto flat = matte::flatten(open, 12);
    const size_t n = (open.size() - 1) * 12 + 1;
    for (size_t i = 0; i < std::min(n, flat.size()); ++i) line << toScreen(flat[i]);
    if (pointer.x() >= 0 && !pulling_) line << pointer;
    p.setPen(QPen(Qt::white, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
    for (size_t i = 0; i < open.size(); ++i) {
      p.setBrush(i == 0 ? style::kAccent : Qt::white);
      p.drawEllipse(toScreen(open[i].at), i == 0 ? 5 : 3.6, i == 0 ? 5 : 3.6);
    }
  }
}

ShapeEditor::Grip ShapeEditor::gripAt(const QPointF& where) const {
  const Target m = chosen();
  Grip best;
  double nearest = 8;
  if (!m || where.x() < 0) return best;
  for (size_t k = 0; k < m.drawn->shapes.size(); ++k) {
    const auto points = m.drawn->shapes[k].points.at(session_->frame());
    for (size_t i = 0; i < points.size(); ++i) {
      const auto& q = points[i];
      const bool handles = grip_.shape == static_cast<int>(k) && grip_.point == static_cast<int>(i);
      for (int part = 0; part < (handles ? 3 : 1); ++part) {
        const Vec2 place = part == 0 ? q.at : part == 1 ? Vec2(q.at + q.in) : Vec2(q.at + q.out);
        if (part && place == q.at) continue;
        QPointF at;
        if (!shown(m, place, at)) continue;
        const double d = QLineF(at, where).length();
        if (d < nearest) nearest = d, best = {static_cast<int>(k), static_cast<int>(i), part};
      }
    }
  }
  return best;
}

bool ShapeEditor::press(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  if (session_->tool() == Tool::Matte) {
    if (fresh_.size() >= 3 && QLineF(toScreen(fresh_[0].at), e->position()).length() < 9) {
      close();
      return true;
    }
    fresh_.push_back({toPlate(e->position()), Vec2::Zero(), Vec2::Zero(), -1});
    pulling_ = true;
    return true;
  }
  const Grip g = gripAt(e->position());
  if (g.shape < 0) return false;
  grip_ = g;
  dragging_ = true;
  pullsHandles_ = e->modifiers() & Qt::AltModifier;
  return true;
}

bool ShapeEditor::move(QMouseEvent* e) {
  if (pulling_) {
    auto& q = fresh_.back();
    const Vec2 d = toPlate(e->position()) - q.at;
    if (QLineF(toScreen(q.at), e->position()).length() > 4) q.out = d, q.in = -d;
    return true;
  }
  if (!dragging_) return false;
  const Target m = chosen();
  Vec2 to;
  if (!m || !drawn(m, e->position(), to)) return true;
  const Grip g = grip_;
  const bool pull = pullsHandles_;
  session_->setDraft(true);
  changePoints(
      QObject::tr("shape %1").arg(QString::fromStdString(m.of->name)), m, g.shape,
      [&](matte::ShapePoints& points) {
        auto& q = points.at(static_cast<size_t>(g.point));
        if (g.part == 0 && !pull)
          q.at = to;
        else if (g.part == 1)
          q.in = to - q.at, q.out = pull ? q.out : Vec2(-q.in);
        else
          q.out = to - q.at, q.in = -q.out;
      },
      QString("matte %1 %2 %3 %4").arg(QString::fromStdString(m.path)).arg(g.shape).arg(g.point).arg(g.part));
  return true;
}

bool ShapeEditor::release(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  if (pulling_) {
    pulling_ = false;
    return true;
  }
  if (!dragging_) return false;
  dragging_ = false;
  session_->endSeries();
  session_->setDraft(false);
  return true;
}

bool ShapeEditor::doubleClick(QMouseEvent* e) {
  if (session_->tool() == Tool::Matte && fresh_.size() >= 3) {
    close();
    return true;
  }
  const Target m = chosen();
  Vec2 at;
  if (!m || !drawn(m, e->position(), at)) return false;
  for (size_t k = 0; k < m.drawn->shapes.size(); ++k) {
    const auto line = matte::flatten(m.drawn->shapes[k].points.at(session_->frame()), 12);
    for (size_t i = 0; i < line.size(); ++i) {
      QPointF p;
      if (!shown(m, line[i], p) || QLineF(p, e->position()).length() > 8) continue;
      changePoints(QObject::tr("add a point"), m, static_cast<int>(k), [&](matte::ShapePoints& points) {
        points.insert(points.begin() + static_cast<long>(i / 12) + 1,
                      matte::ShapePoint{at, Vec2::Zero(), Vec2::Zero(), -1});
      });
      return true;
    }
  }
  return false;
}

bool ShapeEditor::key(QKeyEvent* e, const QPointF& pointer) {
  if (drawing()) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
      if (fresh_.size() >= 3) close();
      return true;
    }
    if (e->key() == Qt::Key_Backspace) {
      fresh_.pop_back();
      return true;
    }
    return false;
  }
  if (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace) return false;
  const Grip g = gripAt(pointer);
  const Target m = chosen();
  if (g.shape < 0 || !m) return false;
  changePoints(QObject::tr("take a point away"), m, g.shape,
               [&](matte::ShapePoints& points) { points.erase(points.begin() + g.point); });
  return true;
}

bool ShapeEditor::cancel() {
  if (drawing()) {
    fresh_ = {};
    pulling_ = false;
    return true;
  }
  if (dragging_) {
    dragging_ = false;
    session_->setDraft(false);
    session_->undo();
    return true;
  }
  return false;
}

void ShapeEditor::close() {
  const matte::ShapePoints points = fresh_;
  fresh_ = {};
  pulling_ = false;
  const std::string elementId = session_->element().toStdString();
  const int frame = session_->frame();
  const Target target = chosen();
  const std::string matteId = target.matte, partId = target.part;
  const bool tracking = session_->station() == Station::Track;
  session_->change(QObject::tr("draw a matte"), [&](shot::Shot& shot) {
    const auto* e = tracking ? nullptr : shot.element(elementId);
    std::string m = matteId, p = partId;
    if (m.empty() && tracking) {
      // What is not to be tracked is drawn where it is: on the screen, unless it is told what to ride.
      m = edit::addMatte(shot, "not tracked", frame, "");
      shot.tracking.matte = m;
    } else if (m.empty()) {
      m = edit::matteFor(shot, elementId, frame);
    }
    if (p.empty()) {
      const auto* first = matte::firstOfShapes(*shot.matte(m));
      p = first ? first->id : edit::addShapes(shot, m, "shapes", frame);
    }
    edit::addShape(shot, m, p, points, true, frame, e ? e->surface() : std::string(), engine_->cache());
  });
  session_->setTool(Tool::Pick);
}

}  // namespace zentil::app
