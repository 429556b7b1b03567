#include "app/key_picker.h"

#include <QCoreApplication>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/style.h"
#include "core/edit/make.h"

namespace zentil::app {

void KeyPicker::paint(QPainter& p, const QPointF&) {
  if (!inHand() || !from_) return;
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 140), 3));
  p.drawRect(QRectF(*from_, to_).normalized());
  p.setPen(QPen(style::kAccent, 1, Qt::DashLine));
  p.drawRect(QRectF(*from_, to_).normalized());
}

bool KeyPicker::press(QMouseEvent* e) {
  if (!inHand() || e->button() != Qt::LeftButton) return false;
  from_ = to_ = e->position();
  return true;
}

bool KeyPicker::move(QMouseEvent* e) {
  if (!from_) return false;
  to_ = e->position();
  return true;
}

bool KeyPicker::release(QMouseEvent* e) {
  if (!from_) return false;
  const Vec2 a = toPlate(*from_), b = toPlate(e->position());
  from_.reset();
  // A click is a pixel.
  const auto whole = [](double v) { return static_cast<int>(std::floor(v)); };
  const Box box{whole(std::min(a.x(), b.x())), whole(std::min(a.y(), b.y())), whole(std::max(a.x(), b.x())) + 1,
                whole(std::max(a.y(), b.y())) + 1};
  const bool covers = !(e->modifiers() & Qt::AltModifier);
  session_->change(covers ? QCoreApplication::translate("KeyPicker", "pick what a key covers")
                          : QCoreApplication::translate("KeyPicker", "pick what a key leaves"),
                   [&](shot::Shot& s) {
                     edit::pickKey(s, session_->matte().toStdString(), session_->part().toStdString(), box,
                                   session_->frame(), covers, engine_->workshop());
                   });
  return true;
}

bool KeyPicker::cancel() {
  if (!from_) return false;
  from_.reset();
  return true;
}

}  // namespace zentil::app
