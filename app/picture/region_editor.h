#pragma once
#include "app/picture/picture_tool.h"
#include "core/track/region.h"

namespace zentil::app {

/// Planes that are followed, drawn on the plate at the Track station.
/// Drawing: click by click; Return or a double click closes the outline, Backspace takes the last corner back, Escape
/// the whole. Mending: on the frame that it was drawn on, drag its corners; on every frame, drag the corners of the
/// chosen one's quad; Delete takes the chosen one away.
class RegionEditor : public PictureTool {
 public:
  using PictureTool::PictureTool;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent* e) override;
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Region; }

 private:
  bool here() const { return session_->station() == Station::Track; }
  void finish();
  /// Corner of the quad (0 to 3) or of the outline (4 and on) of the chosen region under a place; -1: none.
  int gripAt(const QPointF& at) const;

  std::vector<Vec2> fresh_;
  int corner_ = -1;
};

}  // namespace zentil::app
