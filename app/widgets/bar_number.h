#pragma once
#include <QMouseEvent>
#include <cmath>

#include "app/document/things.h"
#include "app/widgets/station_parts.h"

namespace zentil::app {

/// A number that is dragged, wheeled, or typed after a click.
class BarNumber : public QObject {
 public:
  BarNumber(QWidget* b, double step, std::function<double()> get, std::function<void(double)> set)
      : QObject(b), over_(b), step_(step), get_(std::move(get)), set_(std::move(set)) {
    b->installEventFilter(this);
    b->setCursor(Qt::SizeHorCursor);
  }

 protected:
  bool eventFilter(QObject*, QEvent* e) override {
    if (e->type() == QEvent::Wheel) {
      set_(get_() + static_cast<QWheelEvent*>(e)->angleDelta().y() / 120.0 * step_);
      return true;
    }
    if (e->type() == QEvent::MouseButtonPress) {
      from_ = static_cast<QMouseEvent*>(e)->globalPosition().x(), moved_ = false;
      at_ = get_();
      return true;
    }
    if (e->type() == QEvent::MouseMove && static_cast<QMouseEvent*>(e)->buttons() & Qt::LeftButton) {
      const double by = std::round((static_cast<QMouseEvent*>(e)->globalPosition().x() - from_) / 6);
      moved_ = moved_ || by != 0;
      set_(at_ + by * step_);
      return true;
    }
    if (e->type() == QEvent::MouseButtonRelease && !moved_) {
      typeName(over_, QString::number(get_(), 'g', 6), [this](const QString& text) {
        try {
          set_(numberOf(text));
        } catch (const std::exception&) {
          // What is no number leaves it as it was.
        }
      });
      return true;
    }
    return false;
  }

 private:
  QWidget* over_;
  double step_, from_ = 0, at_ = 0;
  bool moved_ = false;
  std::function<double()> get_;
  std::function<void(double)> set_;
};

}  // namespace zentil::app
