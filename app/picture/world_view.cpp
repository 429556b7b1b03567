#include "app/picture/world_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "app/widgets/style.h"
#include "core/base/error.h"
#include "core/edit/make.h"

namespace zentil::app {
namespace {

constexpr int kCross = 6;

/// A solved point's cross, coloured by its error: drawn once for each of a few shades, for there are thousands of them.
const QPixmap& crossOf(double errorPx, double ratio) {
  static std::map<std::pair<int, double>, QPixmap> made;
  const int shade = errorPx < 0 ? -1 : static_cast<int>(std::min(errorPx / 1.5, 1.0) * 16);
  QPixmap& pixmap = made[{shade, ratio}];
  if (pixmap.isNull()) {
    pixmap = QPixmap(QSize(2 * kCross, 2 * kCross) * ratio);
    pixmap.setDevicePixelRatio(ratio);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    p.setRenderHint(QPainter::Antialiasing);
    p.translate(kCross, kCross);
    const QColor colour = shade < 0 ? QColor(0xd4, 0xd6, 0xd8) : style::errorRamp(shade / 16.0);
    for (const QPen& pen : {QPen(QColor(0, 0, 0, 150), 2.6), QPen(colour, 1.2)}) {
      p.setPen(pen);
      p.drawLine(QPointF(-3, 0), QPointF(3, 0));
      p.drawLine(QPointF(0, -3), QPointF(0, 3));
    }
  }
  return pixmap;
}

}  // namespace

WorldView::WorldView(Session* session, Engine* engine, QWidget* parent)
    : QWidget(parent), session_(session), engine_(engine) {
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  for (auto signal : {&Session::shotChanged, &Session::viewChanged, &Session::chosenChanged, &Session::toolChanged,
                      &Session::stationChanged})
    connect(session, signal, this, qOverload<>(&QWidget::update));
}

int WorldView::pointNear(const QPointF& at) const {
  const auto& points = *session_->shot().points;
  int best = -1;
  double nearest = 9;
  for (size_t i = 0; i < points.size(); ++i) {
    QPointF p;
    if (!toScreen(points[i].at, p)) continue;
    const double d = QLineF(p, at).length();
    if (d < nearest) nearest = d, best = static_cast<int>(i);
  }
  return best;
}

std::optional<edit::PlaneThrough> WorldView::tileAt(const QPointF& at) const {
  const auto& points = *session_->shot().points;
  Vec3 o, d;
  if (!rayAt(at, o, d)) return std::nullopt;
  std::optional<edit::PlaneThrough> plane;
  if (session_->points().size() >= 3) {
    try {
      plane = edit::planeThrough(session_->shot(), {session_->points().begin(), session_->points().end()}, o);
    } catch (const Error&) {
      return std::nullopt;
    }
    auto& s = plane->surface;
    const double along = s.normal().dot(d);
    if (std::abs(along) < 1e-3) return std::nullopt;
    const double t = s.normal().dot(plane->fit.centre - o) / along;
    if (t <= 0 || t > 1e4) return std::nullopt;
    s.position = o + t * d;
  } else {
    std::vector<double> away;
    for (const auto& p : points) {
      QPointF q;
      away.push_back(toScreen(p.at, q) ? QLineF(q, at).length() : 1e9);
    }
    plane = edit::planeNear(points, away, o, d);
    if (!plane) return std::nullopt;
  }
  // On the tile itself the same size at every distance.
  const double size = 0.12 * (plane->surface.position - o).norm() / d.norm();
  plane->surface.size = Vec3(size, size, size);
  return plane;
}

void WorldView::placeTile(const QPointF& at) {
  auto tile = tileAt(at);
  if (!tile) {
    session_->say(
        tr("There are too few points here for a plane: select three or more points on one flat thing first (click, "
           "Shift-click, or drag around them)."));
    return;
  }
  std::string id;
  session_->change(tr("aim a plane"), [&](shot::Shot& shot) {
    set::Surface s = tile->surface;
    s.size = Vec3(2, 2, 2);
    Vec3 o, d;
    // Made from chosen points: large enough to hold them.
    if (session_->points().size() >= 3 && rayAt(at, o, d))
      s = edit::planeThrough(shot, {session_->points().begin(), session_->points().end()}, o).surface;
    id = edit::addSurface(shot, s);
  });
  const auto* made = session_->shot().surface(id);
  if (!made) return;
  session_->chooseSurface(QString::fromStdString(id));
  session_->setTool(Tool::Pick);
  session_->say(tr("%1 is off its points by %2")
                    .arg(QString::fromStdString(made->name), QString::fromStdString(edit::wordsOf(*tile))),
                false);
}

std::optional<set::Surface> WorldView::chosenSurface() const {
  const auto* s = session_->shot().surface(session_->surface().toStdString());
  if (session_->station() != Station::Set || !s) return std::nullopt;
  return s->at(session_->frame());
}

void WorldView::paintPoints(QPainter& p) {
  const auto& points = *session_->shot().points;
  const bool full =
      session_->station() == Station::Set || session_->station() == Station::Camera || session_->tool() == Tool::Tile;
  const int hot = full && session_->tool() == Tool::Pick ? pointNear(pointer_) : -1;
  for (size_t i = 0; i < points.size(); ++i) {
    QPointF at;
    if (!toScreen(points[i].at, at)) continue;
    const bool chosen = session_->points().count(static_cast<int>(i)) != 0;
    if (!full && !chosen) continue;
    p.drawPixmap(at - QPointF(kCross, kCross), crossOf(points[i].errorPx, devicePixelRatioF()));
    if (chosen || static_cast<int>(i) == hot) {
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(chosen ? style::kAccent : Qt::white, 1.6));
      p.drawEllipse(at, 6, 6);
    }
  }
  if (hot >= 0) {
    const auto& q = points[static_cast<size_t>(hot)];
    QPointF at;
    toScreen(q.at, at);
    const QString text = q.errorPx >= 0
                             ? tr("point %1 · %2 px · %3 frames").arg(hot).arg(q.errorPx, 0, 'f', 2).arg(q.frames)
                             : tr("point %1 · %2, %3, %4 m")
                                   .arg(hot)
                                   .arg(q.at.x(), 0, 'f', 2)
                                   .arg(q.at.y(), 0, 'f', 2)
                                   .arg(q.at.z(), 0, 'f', 2);
    const QRectF box = QRectF(p.fontMetrics().boundingRect(text)).adjusted(-6, -4, 6, 4);
    const QRectF placed(at + QPointF(12, -box.height() - 4), box.size());
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x14, 0x15, 0x16, 220));
    p.drawRoundedRect(placed, 4, 4);
    p.setPen(QColor(0xdf, 0xe2, 0xe4));
    p.drawText(placed, Qt::AlignCenter, text);
  }
}

QList<QLineF> WorldView::linesOnWidget(const set::Surface& s) const {
  constexpr double kLong = 120, kBent = 0.2;  // of the widget's pixels
  constexpr int kParts = 8;
  const QRectF shown = QRectF(rect()).adjusted(-2, -2, 2, 2);
  QList<QLineF> lines;
  const auto add = [&](const QPointF& a, const QPointF& b) {
    if (std::max(a.x(), b.x()) > shown.left() && std::min(a.x(), b.x()) < shown.right() &&
        std::max(a.y(), b.y()) > shown.top() && std::min(a.y(), b.y()) < shown.bottom())
      lines << QLineF(a, b);
  };
  for (const auto& [a, b] : outlineOf(s)) {
    QPointF from, middle, to;
    const bool whole = toScreen(a, from) && toScreen(b, to) && toScreen((a + b) / 2, middle);
    if (whole && QLineF(from, to).length() < kLong && QLineF(middle, (from + to) / 2).length() < kBent) {
      add(from, to);
      continue;
    }
    // Long lines are cut: they bend with the lens, and part of them may be behind the viewer.
    bool there = toScreen(a, from);
    for (int k = 1; k <= kParts; ++k) {
      const bool next = toScreen(a + (b - a) * (k / double(kParts)), to);
      if (there && next) add(from, to);
      there = next, from = to;
    }
  }
  return lines;
}

void WorldView::paintSurfaces(QPainter& p) {
  const bool full = session_->station() == Station::Set;
  std::vector<QRectF> names;
  for (const auto& s : session_->shot().surfacesAt(session_->frame())) {
    const bool chosen = session_->surface() == QString::fromStdString(s.id);
    if (!full && !(session_->station() == Station::Work && chosen)) continue;
    // Cut off square where they meet: what shines through would shine twice there.
    p.setPen(
        QPen(chosen ? style::kAccent : QColor(0xc9, 0xcc, 0xd0, 150), chosen ? 1.6 : 1, Qt::SolidLine, Qt::FlatCap));
    p.drawLines(linesOnWidget(s));
    QPointF at;
    if (full && toScreen(s.position, at)) {
      const QString name = QString::fromStdString(s.name);
      QRectF box = QRectF(p.fontMetrics().boundingRect(name)).translated(at + QPointF(10, -8));
      // One that lies on another goes below it.
      const auto under = [&] {
        return std::find_if(names.begin(), names.end(), [&](const QRectF& other) { return other.intersects(box); });
      };
      for (auto other = under(); other != names.end(); other = under()) box.moveTop(other->bottom() + 1);
      names.push_back(box);
      p.setPen(QColor(0xdf, 0xe2, 0xe4, chosen ? 255 : 150));
      p.drawText(box, Qt::AlignCenter | Qt::TextDontClip, name);
    }
  }
  if (const auto s = chosenSurface()) handles_.paint(p, *s, *this, pointer_);
}

void WorldView::paintTile(QPainter& p) {
  if (session_->tool() != Tool::Tile || pointer_.x() < 0) return;
  const auto tile = tileAt(pointer_);
  if (!tile) {
    p.setPen(QPen(style::kWarn, 1.4, Qt::DashLine));
    p.drawRect(QRectF(pointer_ - QPointF(14, 14), QSizeF(28, 28)));
    return;
  }
  constexpr int kSquares = 4;
  for (int j = 0; j < kSquares; ++j)
    for (int i = 0; i < kSquares; ++i) {
      QPolygonF quad;
      for (const auto& [u, v] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}}) {
        QPointF q;
        const auto& s = tile->surface;
        if (!toScreen(s.toWorld(Vec3(((i + u) / double(kSquares) - 0.5) * s.size.x(),
                                     ((j + v) / double(kSquares) - 0.5) * s.size.y(), 0)),
                      q))
          return;
        quad << q;
      }
      p.setPen(Qt::NoPen);
      p.setBrush((i + j) % 2 ? QColor(0x6f, 0xc3, 0xb2, 190) : QColor(0x18, 0x19, 0x1a, 170));
      p.drawPolygon(quad);
    }
  const QString text = tr("%1 mm").arg(tile->fit.rms * 1000, 0, 'f', 1);
  p.setPen(Qt::white);
  p.drawText(pointer_ + QPointF(16, -12), text);
}

void WorldView::paintWorld(QPainter& p) {
  p.setRenderHint(QPainter::Antialiasing);
  QFont f("DejaVu Sans Mono");
  f.setPixelSize(11);
  p.setFont(f);
  if (session_->view().overlays) {
    paintSurfaces(p);
    paintPoints(p);
  }
  paintTile(p);
  paintHint(p);
  if (lasso_) {
    p.setPen(QPen(Qt::white, 1.2, Qt::DashLine));
    p.setBrush(QColor(255, 255, 255, 24));
    p.drawPolygon(lassoPath_);
  }
}

void WorldView::paintHint(QPainter& p) {
  QString text;
  switch (session_->tool()) {
    case Tool::Pick:
      return;
    case Tool::Tile:
      text = tr("Click where the tile is flat on the picture to make a plane. Esc leaves the tool.");
      break;
    case Tool::Matte:
      text =
          tr("Click around it, drag for curves; the first point or Return closes. Backspace takes a point back, Esc "
             "ends.");
      break;
    case Tool::Line:
      text = tr("Click along something straight, three times or more; Return ends the line. Esc leaves the tool.");
      break;
    case Tool::Tracker:
      text = tr("Click the feature to track. Esc leaves the tool.");
      break;
    case Tool::Region:
      text = tr("Click around something flat; the first point or Return closes. Esc leaves the tool.");
      break;
    case Tool::Elsewhere:
      text = tr("Drag from the place to its source on the same surface. Esc leaves the tool.");
      break;
    case Tool::Spot:
      text =
          tr("Click a place: its depth is taken from a surface there, the picture, or the points around. Arrow keys "
             "move the chosen one. Esc leaves the tool.");
      break;
    case Tool::Crop:
      text = tr("Drag across the part of the stabilised picture to deliver. Esc leaves the tool.");
      break;
    case Tool::Wall:
      text =
          tr("Drag along the foot of a wall, where it meets the chosen surface; with Alt just as drawn. Click: square "
             "to the wall that is nearest. Esc leaves the tool.");
      break;
    case Tool::Up:
      text = tr("Click the place that is straight up. Esc leaves the tool.");
      break;
    case Tool::SecondSpot:
      text = tr("Go to another frame and click the same place, on the line where it can be. Esc leaves the tool.");
      break;
    case Tool::Paint:
      text =
          tr("Draw to paint; with Shift drag from the place to where a clone is taken from; , and . size the brush. "
             "Esc leaves the tool.");
      break;
    case Tool::Key:
      text = tr("Drag over colours to key; with Alt, over colours to keep. Esc leaves the tool.");
      break;
  }
  QFont f("Inter");
  f.setPixelSize(12);
  p.setFont(f);
  const double most = width() - 24;
  text = p.fontMetrics().elidedText(text, Qt::ElideRight, static_cast<int>(most - 20));
  QRectF box(0, 0, p.fontMetrics().horizontalAdvance(text) + 20, 24);
  box.moveCenter({width() / 2.0, 22});
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(0x14, 0x15, 0x16, 225));
  p.drawRoundedRect(box, 4, 4);
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  p.drawText(box, Qt::AlignCenter, text);
}

void WorldView::askMenu(const QPoint& at) {
  // The surface under it is chosen: what the menu does is done to that.
  Vec3 o, d;
  if (session_->station() == Station::Set && session_->tool() == Tool::Pick && rayAt(at, o, d)) {
    const auto hit = engine_->cache().scene(*session_->evaluator()->stage(session_->frame()))->first(o, d);
    if (hit.surface >= 0)
      session_->chooseSurface(QString::fromStdString(session_->shot().surfaces[static_cast<size_t>(hit.surface)].id));
  }
  emit menuWanted(mapToGlobal(at));
}

bool WorldView::worldPress(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  pointer_ = e->position();
  if (session_->tool() == Tool::Tile) {
    placeTile(e->position());
    return true;
  }
  if (session_->tool() != Tool::Pick) return false;
  if (const auto s = chosenSurface()) {
    const auto kind = handles_.at(*s, *this, e->position());
    if (kind != SurfaceHandles::Kind::None) {
      handles_.begin(kind, *s, *this, e->position());
      dragging_ = true;
      session_->setDraft(true);
      return true;
    }
  }
  if (session_->station() == Station::Work || session_->station() == Station::Deliver) return false;
  pressed_ = true;
  adding_ = e->modifiers() & Qt::ShiftModifier;
  free_ = e->modifiers() & Qt::AltModifier;
  pressedAt_ = e->position();
  lassoPath_.clear();
  lassoPath_ << e->position();
  return true;
}

bool WorldView::worldMove(QMouseEvent* e) {
  pointer_ = e->position();
  emit pointing(pointer_);
  if (dragging_) {
    const set::Surface moved = handles_.drag(*this, e->position());
    session_->change(
        tr("move %1").arg(QString::fromStdString(moved.name)),
        [&](shot::Shot& shot) { edit::putSurface(shot, moved, session_->frame()); },
        "handle " + QString::fromStdString(moved.id));
    return true;
  }
  if (pressed_) {
    if (!lasso_ && QLineF(pressedAt_, e->position()).length() > 5) lasso_ = true;
    if (lasso_ && free_) lassoPath_ << e->position();
    // Without the loop, a rectangle.
    if (lasso_ && !free_) lassoPath_ = QPolygonF(QRectF(pressedAt_, e->position()).normalized());
    update();
    return true;
  }
  update();
  return false;
}

bool WorldView::worldRelease(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  if (dragging_) {
    dragging_ = false;
    handles_.end();
    session_->endSeries();
    session_->setDraft(false);
    return true;
  }
  if (!pressed_) return false;
  pressed_ = false;
  std::set<int> chosen = adding_ ? session_->points() : std::set<int>();
  if (lasso_) {
    lasso_ = false;
    const auto& points = *session_->shot().points;
    for (size_t i = 0; i < points.size(); ++i) {
      QPointF p;
      if (toScreen(points[i].at, p) && lassoPath_.containsPoint(p, Qt::OddEvenFill)) chosen.insert(static_cast<int>(i));
    }
    session_->choosePoints(chosen);
  } else {
    const int near = pointNear(e->position());
    if (near >= 0) {
      if (adding_ && chosen.count(near))
        chosen.erase(near);
      else
        chosen.insert(near);
      session_->choosePoints(chosen);
    } else if (session_->station() == Station::Set) {
      // A click beside the points takes the surface there, and never throws a choice of points away.
      Vec3 o, d;
      if (rayAt(e->position(), o, d)) {
        const auto hit = engine_->cache().scene(*session_->evaluator()->stage(session_->frame()))->first(o, d);
        if (hit.surface >= 0)
          session_->chooseSurface(
              QString::fromStdString(session_->shot().surfaces[static_cast<size_t>(hit.surface)].id));
      }
    }
  }
  update();
  return true;
}

bool WorldView::cancelDrag() {
  if (dragging_) {
    dragging_ = false;
    handles_.end();
    session_->setDraft(false);
    session_->undo();
    return true;
  }
  if (lasso_ || pressed_) {
    lasso_ = pressed_ = false;
    update();
    return true;
  }
  if (session_->tool() != Tool::Pick) {
    session_->setTool(Tool::Pick);
    return true;
  }
  if (!session_->points().empty()) {
    session_->choosePoints({});
    return true;
  }
  return false;
}

void WorldView::leaveEvent(QEvent*) {
  pointer_ = {-1, -1};
  emit pointing(pointer_);
  update();
}

}  // namespace zentil::app
