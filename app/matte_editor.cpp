#include "app/matte_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/style.h"
#include "core/build/build.h"

namespace zentil::app {

const matte::Matte* MatteEditor::chosen() const {
  if (session_->station() != Station::Work) return nullptr;
  const auto* e = session_->shot().element(session_->element().toStdString());
  return e ? session_->shot().matte(e->matte) : nullptr;
}

map::MapPtr MatteEditor::carrier(const matte::Matte& m, bool toShown) const {
  if (m.rides == matte::Rides::Screen || m.frame == session_->frame()) return nullptr;
  const std::tuple now{session_->history().revision(), session_->frame(), m.id};
  if (carrierOf_ != now) {
    const auto* e = session_->shot().element(session_->element().toStdString());
    there_ = build::carrying(session_->shot(), e, m, m.frame, session_->frame(), engine_->workshop());
    back_ = build::carrying(session_->shot(), e, m, session_->frame(), m.frame, engine_->workshop());
    carrierOf_ = now;
  }
  return toShown ? there_ : back_;
}

bool MatteEditor::shown(const matte::Matte& m, const Vec2& drawn, QPointF& at) const {
  Vec2 p = drawn;
  if (const auto c = carrier(m, true); c && !map::through(*c, drawn, p)) return false;
  at = toScreen(p);
  return true;
}

bool MatteEditor::drawn(const matte::Matte& m, const QPointF& at, Vec2& out) const {
  const Vec2 p = toPlate(at);
  out = p;
  const auto c = carrier(m, false);
  return !c || map::through(*c, p, out);
}

QPolygonF MatteEditor::outline(const matte::Matte& m, const std::vector<Vec2>& points) const {
  QPolygonF out;
  for (const Vec2& p : points) {
    QPointF at;
    if (shown(m, p, at)) out << at;
  }
  return out;
}

void MatteEditor::paint(QPainter& p, const QPointF& pointer) {
  p.setRenderHint(QPainter::Antialiasing);
  if (const auto* m = chosen()) {
    for (const auto& s : m->shapes) {
      const auto line = matte::flatten(s, 12);
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(QColor(0, 0, 0, 130), 3));
      p.drawPolygon(outline(*m, line));
      p.setPen(QPen(Qt::white, 1.4, s.adds ? Qt::SolidLine : Qt::DotLine));
      p.drawPolygon(outline(*m, line));
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
        const auto& point = s.points[i / 12];
        const double f = point.featherPx < 0 ? m->featherPx : point.featherPx;
        feathered |= f > 0;
        outer.push_back(t.norm() > 0 ? Vec2(line[i] + side * f * Vec2(t.y(), -t.x()).normalized()) : line[i]);
      }
      if (feathered) {
        p.setPen(QPen(QColor(255, 255, 255, 110), 1, Qt::DashLine));
        p.drawPolygon(outline(*m, outer));
      }
    }
    const Grip hot = dragging_ ? grip_ : gripAt(pointer);
    for (size_t k = 0; k < m->shapes.size(); ++k)
      for (size_t i = 0; i < m->shapes[k].points.size(); ++i) {
        const auto& q = m->shapes[k].points[i];
        QPointF at;
        if (!shown(*m, q.at, at)) continue;
        const bool here = hot.shape == static_cast<int>(k) && hot.point == static_cast<int>(i);
        if (here || (grip_.shape == static_cast<int>(k) && grip_.point == static_cast<int>(i)))
          for (const Vec2& h : {q.in, q.out}) {
            QPointF end;
            if (h.isZero() || !shown(*m, q.at + h, end)) continue;
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
  if (drawing()) {
    // Not closed yet: on the shown frame itself.
    matte::Shape open = fresh_;
    QPolygonF line;
    const auto flat = matte::flatten(open, 12);
    const size_t n = (open.points.size() - 1) * 12 + 1;
    for (size_t i = 0; i < std::min(n, flat.size()); ++i) line << toScreen(flat[i]);
    if (pointer.x() >= 0 && !pulling_) line << pointer;
    p.setPen(QPen(Qt::white, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
    for (size_t i = 0; i < open.points.size(); ++i) {
      p.setBrush(i == 0 ? style::kAccent : Qt::white);
      p.drawEllipse(toScreen(open.points[i].at), i == 0 ? 5 : 3.6, i == 0 ? 5 : 3.6);
    }
  }
}

MatteEditor::Grip MatteEditor::gripAt(const QPointF& where) const {
  const auto* m = chosen();
  Grip best;
  double nearest = 8;
  if (!m || where.x() < 0) return best;
  for (size_t k = 0; k < m->shapes.size(); ++k)
    for (size_t i = 0; i < m->shapes[k].points.size(); ++i) {
      const auto& q = m->shapes[k].points[i];
      const bool handles = grip_.shape == static_cast<int>(k) && grip_.point == static_cast<int>(i);
      for (int part = 0; part < (handles ? 3 : 1); ++part) {
        const Vec2 place = part == 0 ? q.at : part == 1 ? Vec2(q.at + q.in) : Vec2(q.at + q.out);
        if (part && place == q.at) continue;
        QPointF at;
        if (!shown(*m, place, at)) continue;
        const double d = QLineF(at, where).length();
        if (d < nearest) nearest = d, best = {static_cast<int>(k), static_cast<int>(i), part};
      }
    }
  return best;
}

bool MatteEditor::press(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  if (session_->tool() == Tool::Matte) {
    if (fresh_.points.size() >= 3 && QLineF(toScreen(fresh_.points[0].at), e->position()).length() < 9) {
      close();
      return true;
    }
    fresh_.points.push_back({toPlate(e->position()), Vec2::Zero(), Vec2::Zero(), -1});
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

bool MatteEditor::move(QMouseEvent* e) {
  if (pulling_) {
    auto& q = fresh_.points.back();
    const Vec2 d = toPlate(e->position()) - q.at;
    if (QLineF(toScreen(q.at), e->position()).length() > 4) q.out = d, q.in = -d;
    return true;
  }
  if (!dragging_) return false;
  const auto* m = chosen();
  Vec2 to;
  if (!m || !drawn(*m, e->position(), to)) return true;
  const std::string id = m->id;
  const Grip g = grip_;
  const bool pull = pullsHandles_;
  session_->setDraft(true);
  session_->change(
      QObject::tr("shape %1").arg(QString::fromStdString(m->name)),
      [&](shot::Shot& shot) {
        auto& q = shot.matte(id)->shapes[static_cast<size_t>(g.shape)].points[static_cast<size_t>(g.point)];
        if (g.part == 0 && !pull)
          q.at = to;
        else if (g.part == 1)
          q.in = to - q.at, q.out = pull ? q.out : Vec2(-q.in);
        else
          q.out = to - q.at, q.in = -q.out;
      },
      QString("matte %1 %2 %3 %4").arg(QString::fromStdString(id)).arg(g.shape).arg(g.point).arg(g.part));
  return true;
}

bool MatteEditor::release(QMouseEvent* e) {
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

bool MatteEditor::doubleClick(QMouseEvent* e) {
  if (session_->tool() == Tool::Matte && fresh_.points.size() >= 3) {
    close();
    return true;
  }
  const auto* m = chosen();
  Vec2 at;
  if (!m || !drawn(*m, e->position(), at)) return false;
  for (size_t k = 0; k < m->shapes.size(); ++k) {
    const auto line = matte::flatten(m->shapes[k], 12);
    for (size_t i = 0; i < line.size(); ++i) {
      QPointF p;
      if (!shown(*m, line[i], p) || QLineF(p, e->position()).length() > 8) continue;
      session_->change(QObject::tr("add a point"), [&](shot::Shot& shot) {
        auto& points = shot.matte(m->id)->shapes[k].points;
        points.insert(points.begin() + static_cast<long>(i / 12) + 1,
                      matte::ShapePoint{at, Vec2::Zero(), Vec2::Zero(), -1});
      });
      return true;
    }
  }
  return false;
}

bool MatteEditor::key(QKeyEvent* e, const QPointF& pointer) {
  if (drawing()) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
      if (fresh_.points.size() >= 3) close();
      return true;
    }
    if (e->key() == Qt::Key_Backspace) {
      fresh_.points.pop_back();
      return true;
    }
    return false;
  }
  if (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace) return false;
  const Grip g = gripAt(pointer);
  const auto* m = chosen();
  if (g.shape < 0 || !m) return false;
  session_->change(QObject::tr("take a point away"), [&](shot::Shot& shot) {
    auto& shapes = shot.matte(m->id)->shapes;
    auto& points = shapes[static_cast<size_t>(g.shape)].points;
    points.erase(points.begin() + g.point);
    if (points.size() < 3) shapes.erase(shapes.begin() + g.shape);
  });
  return true;
}

bool MatteEditor::cancel() {
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

void MatteEditor::close() {
  matte::Shape shape = fresh_;
  fresh_ = {};
  pulling_ = false;
  const std::string elementId = session_->element().toStdString();
  const int frame = session_->frame();
  session_->change(QObject::tr("draw a matte"), [&](shot::Shot& shot) {
    auto* e = shot.element(elementId);
    auto* m = e ? shot.matte(e->matte) : nullptr;
    if (m && m->frame != frame && m->rides != matte::Rides::Screen && !m->shapes.empty()) {
      // A further shape of a matte that was drawn on another frame is carried there.
      const auto c = build::carrying(shot, e, *m, frame, m->frame, engine_->workshop());
      for (auto& q : shape.points) {
        Vec2 at = q.at, in = q.at + q.in, out = q.at + q.out;
        if (c && map::through(*c, q.at, at) && map::through(*c, q.at + q.in, in) && map::through(*c, q.at + q.out, out))
          q.at = at, q.in = in - at, q.out = out - at;
      }
    }
    if (!m) {
      matte::Matte made;
      made.id = shot::freshId(shot, 'm');
      made.name = e ? e->name + " outline" : "outline " + made.id.substr(1);
      made.frame = frame;
      made.featherPx = 12;
      shot.mattes.push_back(made);
      m = &shot.mattes.back();
      if (e) e->matte = made.id;
    }
    m->shapes.push_back(shape);
  });
  session_->setTool(Tool::Pick);
}

}  // namespace zentil::app
