#pragma once
#include "app/picture/picture_tool.h"
#include "core/track/tracks.h"

namespace zentil::app {

/// Trackers placed by hand, on the plate at the Track station.
///   placing   a click with the tool in hand puts one on this frame
///   mending   drag its cross: a key on this frame, the way to the neighbouring keys bends evenly (or as the words say;
///             with Shift this frame alone, with Alt from here on); drag a corner of the
///             chosen one's inner box for the size of its pattern, of the outer for how far it looks; Delete takes the
///             chosen one away
class TrackerEditor : public PictureTool {
 public:
  using PictureTool::PictureTool;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent*) override { return false; }
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Tracker; }

 private:
  enum class Grip { None, Cross, Pattern, Search };
  bool here() const { return session_->station() == Station::Track; }
  /// The tracker and what of it is under a place.
  std::pair<int, Grip> gripAt(const QPointF& at) const;

  int held_ = -1;
  Grip grip_ = Grip::None;
};

}  // namespace zentil::app
