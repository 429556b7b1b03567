#pragma once
#include <functional>

#include "app/engine.h"
#include "app/session.h"

class QPainter;
class QMouseEvent;
class QKeyEvent;

namespace zentil::app {

/// Draws lines along straight things on the plate, and mends them, at the Lens station.
///   drawing   click by click; Return or a double click ends the line and snaps its points to the edge under them;
///             Backspace takes the last point back, Escape the whole
///   mending   drag a point (Shift: without snapping); Delete takes the point under the pointer away
class LineEditor {
 public:
  LineEditor(Session* session, Engine* engine) : session_(session), engine_(engine) {}
  std::function<QPointF(const Vec2&)> toScreen;  ///< plate pixel to widget
  std::function<Vec2(const QPointF&)> toPlate;

  void paint(QPainter& p, const QPointF& pointer);
  bool press(QMouseEvent* e);
  bool move(QMouseEvent* e);
  bool release(QMouseEvent* e);
  bool doubleClick(QMouseEvent* e);
  bool key(QKeyEvent* e, const QPointF& pointer);
  bool cancel();

 private:
  bool here() const { return session_->station() == Station::Lens; }
  void finish();
  std::vector<Vec2> snapped(const std::vector<Vec2>& points, double reach) const;
  /// The line and the point under a place; -1, -1 when there is none.
  std::pair<int, int> gripAt(const QPointF& at) const;
  void loupe(QPainter& p, const QPointF& at, const Vec2& plate) const;

  Session* session_;
  Engine* engine_;
  std::vector<Vec2> fresh_;
  int line_ = -1, point_ = -1;  ///< being dragged
};

}  // namespace zentil::app
