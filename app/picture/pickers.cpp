#include "app/picture/pickers.h"

#include <QCoreApplication>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"
#include "core/edit/cleanup.h"
#include "core/edit/make.h"
#include "core/edit/sphere.h"
#include "core/estimate/raise_wall.h"

namespace zentil::app {

void DragTool::paint(QPainter& p, const QPointF&) {
  if (inHand() && from_) draw(p, *from_, to_);
}

bool DragTool::press(QMouseEvent* e) {
  if (!inHand() || e->button() != Qt::LeftButton) return false;
  from_ = to_ = e->position();
  return true;
}

bool DragTool::move(QMouseEvent* e) {
  if (!from_) return false;
  to_ = e->position();
  return true;
}

bool DragTool::release(QMouseEvent* e) {
  if (!from_) return false;
  const QPointF from = *from_;
  from_.reset();
  dragged(from, e->position(), e->modifiers());
  return true;
}

bool DragTool::cancel() {
  if (!from_) return false;
  from_.reset();
  return true;
}

void KeyPicker::draw(QPainter& p, const QPointF& from, const QPointF& to) const {
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 140), 3));
  p.drawRect(QRectF(from, to).normalized());
  p.setPen(QPen(style::kAccent, 1, Qt::DashLine));
  p.drawRect(QRectF(from, to).normalized());
}

void KeyPicker::dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) {
  const Vec2 a = toPlate(from), b = toPlate(to);
  // A click is a pixel.
  const auto whole = [](double v) { return static_cast<int>(std::floor(v)); };
  engine_->jobs().pickKey({session_->matte().toStdString(),
                           session_->part().toStdString(),
                           session_->frame(),
                           {whole(std::min(a.x(), b.x())), whole(std::min(a.y(), b.y())),
                            whole(std::max(a.x(), b.x())) + 1, whole(std::max(a.y(), b.y())) + 1},
                           !(with & Qt::AltModifier)});
}

void UpPicker::draw(QPainter& p, const QPointF&, const QPointF& to) const {
  p.setRenderHint(QPainter::Antialiasing);
  p.setBrush(Qt::NoBrush);
  for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 140), 4.0), std::pair(style::kAccent, 1.6)}) {
    p.setPen(QPen(colour, width));
    p.drawEllipse(to, 9, 9);
    p.drawPoint(to);
  }
}

void UpPicker::dragged(const QPointF&, const QPointF& to, Qt::KeyboardModifiers) {
  const Vec2 at = toPlate(to);
  const int frame = session_->frame();
  session_->change(QCoreApplication::translate("Pickers", "level the world"),
                   [&](shot::Shot& s) { edit::standUpright(s, frame, at); });
  session_->setTool(Tool::Pick);
}

void WallPicker::draw(QPainter& p, const QPointF& from, const QPointF& to) const {
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 140), 4.0), std::pair(style::kAccent, 1.6)}) {
    p.setPen(QPen(colour, width));
    p.drawLine(from, to);
  }
}

void WallPicker::dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) {
  constexpr double kClick = 4;
  std::vector<Vec2> foot = {toPlate(from)};
  if (std::hypot(to.x() - from.x(), to.y() - from.y()) > kClick) foot.push_back(toPlate(to));
  const std::string on = session_->surface().toStdString();
  const int frame = session_->frame();
  std::string made;
  estimate::WallFit raised;
  session_->change(QCoreApplication::translate("Pickers", "raise a wall"), [&](shot::Shot& s) {
    raised = estimate::raiseWall(s, on, frame, foot, with & Qt::AltModifier);
    made = edit::addSurface(s, raised.surface);
  });
  if (made.empty()) return;  // the problem has been told
  const auto* by = session_->shot().surface(raised.by);
  session_->setTool(Tool::Pick);
  session_->chooseSurface(QString::fromStdString(made));
  if (!by)
    session_->say(QCoreApplication::translate("Pickers", "Raised along its foot as drawn."), false);
  else
    session_->say((raised.along ? QCoreApplication::translate("Pickers", "Raised along %1 (drawn %2° beside).")
                                : QCoreApplication::translate("Pickers", "Raised square to %1 (drawn %2° beside)."))
                      .arg(QString::fromStdString(by->name.empty() ? by->id : by->name))
                      .arg(raised.offDegrees, 0, 'f', 1),
                  false);
}

std::optional<Vec2> ElsewherePicker::onSurface(const QPointF& at) const {
  const auto* e = session_->shot().element(session_->element().toStdString());
  Vec3 eye, way;
  if (!e || !rayAt || !rayAt(at, eye, way)) return std::nullopt;
  const auto stage = session_->evaluator()->stage(session_->frame());
  const auto* s = stage->surface(e->surface());
  if (!s) return std::nullopt;
  const auto scene = engine_->cache().sceneOf(*s);
  scene->prepare(0, false);
  const auto hit = scene->first(eye, way.normalized(), 0);
  if (hit.surface < 0) return std::nullopt;
  const Vec2 uv = set::uvOf(*s, eye + hit.distance * way.normalized()), face = set::faceSize(*s);
  return Vec2(uv.x() * face.x(), -uv.y() * face.y());
}

void ElsewherePicker::draw(QPainter& p, const QPointF& from, const QPointF& to) const {
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 140), 4.0), std::pair(style::kAccent, 1.6)}) {
    p.setPen(QPen(colour, width));
    p.setBrush(Qt::NoBrush);
    p.drawLine(from, to);
    p.drawEllipse(from, 5, 5);
    p.drawRect(QRectF(to - QPointF(4, 4), QSizeF(8, 8)));
  }
}

void ElsewherePicker::dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers) {
  const auto a = onSurface(from), b = onSurface(to);
  if (!a || !b) {
    session_->say(QCoreApplication::translate("Pickers", "Start and end on the element's surface."));
    return;
  }
  const std::string id = session_->element().toStdString();
  const int frame = session_->frame();
  session_->change(QCoreApplication::translate("Pickers", "take it from elsewhere"), [&](shot::Shot& s) {
    edit::takeElsewhere(s, id, edit::elsewhereOf(s, id, frame) + *b - *a, frame);
  });
}

}  // namespace zentil::app
