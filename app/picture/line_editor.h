#pragma once
#include "app/picture/picture_tool.h"

namespace zentil::app {

/// Draws lines along straight things on the plate, and mends them, at the Lens station.
///   drawing   click by click; Return or a double click ends the line and puts it on the one edge, or the middle of the
///             thin line, that runs along under it (Shift: leaves it as drawn); Backspace takes the last point back,
///             Escape the whole
///   mending   drag a point (Shift: without snapping); Delete takes the point under the pointer away
class LineEditor : public PictureTool {
 public:
  using PictureTool::PictureTool;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent* e) override;
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Line; }

 private:
  bool here() const { return session_->station() == Station::Lens; }
  void finish(bool snaps);
  std::vector<Vec2> snapped(const std::vector<Vec2>& points, double reach, bool evenly) const;
  void paintResiduals(QPainter& p, const lens::StraightLine& line);
  /// The line and the point under a place; -1, -1 when there is none.
  std::pair<int, int> gripAt(const QPointF& at) const;

  std::vector<Vec2> fresh_;
  int line_ = -1, point_ = -1;  ///< being dragged
};

}  // namespace zentil::app
