#pragma once
#include "app/picture/picture_tool.h"

namespace zentil::app {

/// What is delivered of the steadied picture, drawn on it at Deliver.
///   drawing   press, drag, release with the tool in hand; Escape takes it back
///   mending   drag a corner or an edge
class CropEditor : public PictureTool {
 public:
  using PictureTool::PictureTool;
  std::function<QPointF(const Vec2&)> shownToScreen;  ///< pixel of the picture that is looked at to widget
  std::function<Vec2(const QPointF&)> screenToShown;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent*) override { return false; }
  bool key(QKeyEvent*, const QPointF&) override { return false; }
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Crop; }

 private:
  bool here() const;
  QRectF onScreen() const;
  /// Which sides of the crop are at a place: -1, 0 or 1 across and down; both 0 for none.
  std::pair<int, int> sidesAt(const QPointF& at) const;
  void put(const Vec2& from, const Vec2& to);

  std::optional<Vec2> from_;  ///< where a fresh one began
  Vec2 to_ = Vec2::Zero();
  std::pair<int, int> sides_{0, 0};  ///< being dragged
};

}  // namespace zentil::app
