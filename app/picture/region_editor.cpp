#include "app/picture/region_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <opencv2/imgproc.hpp>

#include "app/widgets/style.h"
#include "core/edit/trackers.h"
#include "core/shot/trackers.h"

namespace zentil::app {

namespace {
constexpr int kGrid = 6;

/// From the unit square to a quad.
Mat3 ontoQuad(const std::array<Vec2, 4>& q) {
  const cv::Point2f from[4] = {{0, 0}, {1, 0}, {1, 1}, {0, 1}};
  cv::Point2f to[4];
  for (size_t i = 0; i < 4; ++i) to[i] = {static_cast<float>(q[i].x()), static_cast<float>(q[i].y())};
  const cv::Mat m = cv::getPerspectiveTransform(from, to);
  Mat3 out;
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) out(y, x) = m.at<double>(y, x);
  return out;
}
}  // namespace

int RegionEditor::gripAt(const QPointF& at) const {
  const auto* r = shot::regionOf(session_->shot(), session_->region());
  const int frame = session_->frame();
  if (!r || !r->has(frame)) return -1;
  for (size_t i = 0; i < 4; ++i)
    if (QLineF(toScreen(r->moved(frame, r->quad[i])), at).length() < 8) return static_cast<int>(i);
  for (size_t i = 0; frame == r->reference && i < r->outline.size(); ++i)
    if (QLineF(toScreen(r->outline[i]), at).length() < 7) return static_cast<int>(i) + 4;
  return -1;
}

void RegionEditor::paint(QPainter& p, const QPointF& pointer) {
  if (!here()) return;
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  p.setRenderHint(QPainter::Antialiasing);
  QFont words("Inter");
  words.setPixelSize(11);
  p.setFont(words);
  for (const auto& r : shot.regions) {
    if (!r.has(frame)) continue;
    const bool chosen = r.id == session_->region();
    const QColor colour = chosen ? style::kAccent : QColor(0x6f, 0xc3, 0xb2, 150);
    QPolygonF outline;
    for (const Vec2& c : r.outline) outline << toScreen(r.travels ? r.moved(frame, c) : c);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(0, 0, 0, 110), 3));
    p.drawPolygon(outline);
    p.setPen(QPen(colour, chosen ? 1.6 : 1.1));
    p.drawPolygon(outline);
    p.drawText(outline.first() + QPointF(6, -6), QString::fromStdString(r.name));
    if (!chosen) continue;
    // A grid on the plane, to judge by eye whether it sticks.
    const Mat3 square = ontoQuad(r.quad);
    const auto on = [&](double u, double v) {
      const Vec3 h = square * Vec3(u, v, 1);
      return toScreen(r.moved(frame, h.head<2>() / h.z()));
    };
    for (int k = 0; k <= kGrid; ++k) {
      const double t = static_cast<double>(k) / kGrid;
      p.setPen(QPen(k == 0 || k == kGrid ? QColor(255, 255, 255, 220) : QColor(255, 255, 255, 110), 1));
      p.drawLine(on(t, 0), on(t, 1));
      p.drawLine(on(0, t), on(1, t));
    }
    p.setPen(QPen(QColor(0x14, 0x15, 0x16), 1));
    p.setBrush(Qt::white);
    for (const Vec2& c : r.quad) {
      const QPointF at = toScreen(r.moved(frame, c));
      p.drawRect(QRectF(at - QPointF(3.5, 3.5), QSizeF(7, 7)));
    }
    if (frame == r.reference) {
      p.setBrush(colour);
      for (const QPointF& c : outline) p.drawEllipse(c, 3.2, 3.2);
    }
  }
  if (fresh_.empty()) return;
  QPolygonF line;
  for (const Vec2& c : fresh_) line << toScreen(c);
  if (pointer.x() >= 0) line << pointer;
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(Qt::white, 1.4));
  p.drawPolyline(line);
  p.setBrush(Qt::white);
  for (const Vec2& c : fresh_) p.drawEllipse(toScreen(c), 3, 3);
}

bool RegionEditor::press(QMouseEvent* e) {
  if (!here() || e->button() != Qt::LeftButton) return false;
  if (inHand()) {
    fresh_.push_back(toPlate(e->position()));
    return true;
  }
  corner_ = gripAt(e->position());
  if (corner_ >= 0) return true;
  // A click inside chooses.
  for (const auto& r : session_->shot().regions) {
    if (!r.has(session_->frame())) continue;
    QPolygonF outline;
    for (const Vec2& c : r.outline) outline << toScreen(r.travels ? r.moved(session_->frame(), c) : c);
    if (r.id == session_->region() || !outline.containsPoint(e->position(), Qt::OddEvenFill)) continue;
    session_->chooseRegion(r.id);
    return true;
  }
  return false;
}

bool RegionEditor::move(QMouseEvent* e) {
  if (corner_ < 0) return inHand() && here();
  const auto* found = shot::regionOf(session_->shot(), session_->region());
  if (!found || !found->has(session_->frame())) return true;
  track::Region r = *found;
  const Vec3 h = r.motion.at(session_->frame()).inverse() * toPlate(e->position()).homogeneous();
  const Vec2 at = h.head<2>() / h.z();
  if (corner_ < 4)
    r.quad[static_cast<size_t>(corner_)] = at;
  else
    r.outline[static_cast<size_t>(corner_ - 4)] = at;
  session_->change(
      QObject::tr("move a corner of %1").arg(QString::fromStdString(r.name)),
      [&](shot::Shot& s) { edit::putRegion(s, r); }, QString("region %1 %2").arg(r.id).arg(corner_));
  return true;
}

bool RegionEditor::release(QMouseEvent*) {
  if (corner_ < 0) return false;
  corner_ = -1;
  session_->endSeries();
  return true;
}

bool RegionEditor::doubleClick(QMouseEvent*) {
  if (fresh_.empty()) return false;
  // The first click of the two has set the last corner.
  finish();
  return true;
}

void RegionEditor::finish() {
  if (fresh_.size() < 3) {
    session_->say(QObject::tr("A region needs three corners or more. Click around something flat."));
    return;
  }
  int id = -1;
  session_->change(QObject::tr("draw a region"),
                   [&](shot::Shot& s) { id = edit::addRegion(s, session_->frame(), fresh_); });
  fresh_.clear();
  session_->setTool(Tool::Pick);
  session_->chooseRegion(id);
}

bool RegionEditor::key(QKeyEvent* e, const QPointF&) {
  if (!here()) return false;
  if (!fresh_.empty()) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
      finish();
      return true;
    }
    if (e->key() == Qt::Key_Backspace) {
      fresh_.pop_back();
      return true;
    }
  }
  if (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace) return false;
  const int id = session_->region();
  if (!shot::regionOf(session_->shot(), id)) return false;
  session_->change(QObject::tr("remove a region"), [&](shot::Shot& s) { edit::removeRegion(s, id); });
  session_->chooseRegion(-1);
  return true;
}

bool RegionEditor::cancel() {
  if (!inHand()) return false;
  if (fresh_.empty()) session_->setTool(Tool::Pick);
  fresh_.clear();
  return true;
}

}  // namespace zentil::app
