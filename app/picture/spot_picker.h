#pragma once
#include "app/picture/picture_tool.h"

namespace zentil::app {

/// Spots on the picture: their squares, their ways; a click chooses a place for a new one, or shows the chosen one's on
/// a second frame.
class SpotPicker : public PictureTool {
 public:
  SpotPicker(Session* session, Engine* engine) : PictureTool(session, engine) {}

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent*) override { return false; }
  bool release(QMouseEvent*) override { return false; }
  bool doubleClick(QMouseEvent*) override { return inHand(); }
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool wants(QKeyEvent* e) const override;
  bool cancel() override { return false; }
  bool inHand() const override { return session_->tool() == Tool::Spot || session_->tool() == Tool::SecondSpot; }

 private:
  const set::Spot* chosen() const;
  /// A place of the world on the widget; false where it is not before the camera.
  bool onScreen(const Vec3& world, int frame, QPointF& at) const;
};

}  // namespace zentil::app
