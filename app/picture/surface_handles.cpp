#include "app/picture/surface_handles.h"

#include <Eigen/Geometry>
#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"
#include "core/set/form.h"

namespace zentil::app {
namespace {

using Kind = SurfaceHandles::Kind;
constexpr Kind kAll[] = {Kind::Turn, Kind::SizeX, Kind::SizeY, Kind::Along, Kind::Move};

/// Where a ray meets the plane through the surface's centre; its own facing plane.
bool meet(const set::Surface& s, const Projector& view, const QPointF& where, Vec3& out) {
  Vec3 o, d;
  if (!view.rayAt(where, o, d)) return false;
  const Vec3 n = s.normal();
  const double along = n.dot(d);
  if (std::abs(along) < 1e-6) return false;
  const double t = n.dot(s.position - o) / along;
  if (t <= 0 || t > 1e5) return false;
  out = o + t * d;
  return true;
}

/// How far along the line (a, unit u) the point nearest to a ray lies.
double nearestOnLine(const Vec3& a, const Vec3& u, const Vec3& o, const Vec3& d) {
  const double b = u.dot(d), den = 1 - b * b;
  const Vec3 w = a - o;
  return den < 1e-6 ? 0 : (b * w.dot(d) - w.dot(u)) / den;
}

}  // namespace

Vec3 SurfaceHandles::placeOf(Kind kind, const set::Surface& s) {
  const Vec3 reach = set::formOf(s.kind).reach(s);
  const double arrow = 0.44 * std::max(reach.x(), reach.y());
  switch (kind) {
    case Kind::Along:
      return s.toWorld(Vec3(0, 0, reach.z() + arrow));
    case Kind::SizeX:
      return s.toWorld(Vec3(reach.x(), 0, 0));
    case Kind::SizeY:
      return s.toWorld(Vec3(0, reach.y(), 0));
    case Kind::Turn:
      return s.toWorld(Vec3(0, reach.y() + arrow * 0.8, 0));
    default:
      return s.position;
  }
}

Kind SurfaceHandles::at(const set::Surface& s, const Projector& view, const QPointF& where) const {
  for (const Kind k : kAll) {
    QPointF p;
    if (view.toScreen(placeOf(k, s), p) && QLineF(p, where).length() < 9) return k;
  }
  return Kind::None;
}

void SurfaceHandles::paint(QPainter& p, const set::Surface& s, const Projector& view, const QPointF& pointer) const {
  const Kind hot = kind_ != Kind::None ? kind_ : at(s, view, pointer);
  QPointF centre;
  if (!view.toScreen(s.position, centre)) return;
  for (const Kind k : kAll) {
    QPointF h;
    if (!view.toScreen(placeOf(k, s), h)) continue;
    p.setPen(QPen(k == hot ? Qt::white : style::kAccent, 1.4));
    p.setBrush(k == hot ? QBrush(Qt::white) : QBrush(QColor(0x18, 0x19, 0x1a, 200)));
    switch (k) {
      case Kind::Along: {
        p.drawLine(centre, h);
        p.drawEllipse(h, 3.5, 3.5);
        break;
      }
      case Kind::Turn: {
        QPointF top;
        if (view.toScreen(placeOf(Kind::SizeY, s), top)) p.drawLine(top, h);
        p.drawEllipse(h, 5.5, 5.5);
        break;
      }
      case Kind::Move:
        p.drawEllipse(h, 5, 5);
        break;
      default:
        p.drawRect(QRectF(h - QPointF(4, 4), QSizeF(8, 8)));
    }
  }
}

void SurfaceHandles::begin(Kind kind, const set::Surface& s, const Projector& view, const QPointF& where) {
  kind_ = kind;
  start_ = s;
  grabbed_ = s.position;
  meet(s, view, where, grabbed_);
  Vec3 o, d;
  grabbedAlong_ = view.rayAt(where, o, d) ? nearestOnLine(s.position, s.normal(), o, d) : 0;
}

set::Surface SurfaceHandles::drag(const Projector& view, const QPointF& where) const {
  set::Surface s = start_;
  Vec3 here;
  const bool met = meet(start_, view, where, here);
  const Vec3 own = met ? start_.toOwn(here) : Vec3::Zero(), from = start_.toOwn(grabbed_);
  switch (kind_) {
    case Kind::Move:
      if (met) s.position += here - grabbed_;
      break;
    case Kind::Along: {
      Vec3 o, d;
      if (view.rayAt(where, o, d))
        s.position += (nearestOnLine(start_.position, start_.normal(), o, d) - grabbedAlong_) * start_.normal();
      break;
    }
    case Kind::SizeX:
      if (met && std::abs(from.x()) > 1e-6) s.size.x() = std::max(0.01, start_.size.x() * std::abs(own.x() / from.x()));
      break;
    case Kind::SizeY:
      if (met && std::abs(from.y()) > 1e-6) {
        const double k = std::abs(own.y() / from.y());
        if (set::formOf(s.kind).sizes() == 1)
          s.size.x() = std::max(0.01, start_.size.x() * k);
        else
          s.size.y() = std::max(0.01, start_.size.y() * k);
      }
      break;
    case Kind::Turn:
      if (met) {
        const double a = std::atan2(own.y(), own.x()) - std::atan2(from.y(), from.x());
        s.turn = start_.turn * Eigen::AngleAxisd(a, Vec3::UnitZ()).toRotationMatrix();
      }
      break;
    case Kind::None:
      break;
  }
  return s;
}

}  // namespace zentil::app
