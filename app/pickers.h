#pragma once
#include <optional>

#include "app/picture_tool.h"

namespace zentil::app {

/// Picks for the key of the chosen matte's part by dragging over the picture: what it is to cover, or with Alt what it
/// is to leave. The tool stays in hand; Escape puts it down.
class KeyPicker : public PictureTool {
 public:
  using PictureTool::PictureTool;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent*) override { return false; }
  bool key(QKeyEvent*, const QPointF&) override { return false; }
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Key; }

 private:
  std::optional<QPointF> from_;
  QPointF to_;
};

/// Drags from the chosen element's place to where on its surface it is to be taken from; the shift grows by the drag.
class ElsewherePicker : public PictureTool {
 public:
  using PictureTool::PictureTool;
  std::function<bool(const QPointF&, Vec3&, Vec3&)> rayAt;  ///< widget pixel to a ray of the world

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent*) override { return false; }
  bool key(QKeyEvent*, const QPointF&) override { return false; }
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Elsewhere; }

 private:
  /// Where a place of the widget lies on the chosen element's surface, in that one's own axes.
  std::optional<Vec2> onSurface(const QPointF& at) const;
  std::optional<QPointF> from_;
  QPointF to_;
};

}  // namespace zentil::app
