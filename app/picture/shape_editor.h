#pragma once
#include <QPolygonF>

#include "app/picture/picture_tool.h"
#include "core/map/map.h"

namespace zentil::app {

/// Draws a new shape and edits the chosen element's matte on the picture, on whatever frame is shown: what rides a
/// surface is carried to the frame it is drawn on.
/// Drawing: a click sets a corner, click and drag a curve; a click on the first point, or Return, closes; Backspace
/// takes the last point back. Editing: drag a point or a handle; Alt-drag a point pulls handles out; a double click on
/// the line adds a point; Delete takes the point under the pointer away.
class ShapeEditor : public PictureTool {
 public:
  using PictureTool::PictureTool;

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent* e) override;
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Matte; }
  bool drawing() const { return !fresh_.empty(); }

 private:
  struct Grip {
    int shape = -1, point = -1, part = 0;  // part 0 the point, 1 its incoming handle, 2 its outgoing one
  };
  /// What is edited: a part of shapes, as it is on the shown frame.
  struct Target {
    std::string matte, part, path;
    const matte::Part* of = nullptr;
    const matte::RotoShapes* drawn = nullptr;
    explicit operator bool() const { return drawn; }
  };
  Target chosen() const;
  map::MapPtr carrier(const Target& t, bool toShown) const;
  bool shown(const Target& t, const Vec2& drawn, QPointF& at) const;
  bool drawn(const Target& t, const QPointF& at, Vec2& out) const;
  /// Changes the points of one shape at the shown frame.
  void changePoints(const QString& what, const Target& t, int shape,
                    const std::function<void(matte::ShapePoints&)>& change, const QString& series = {});
  Grip gripAt(const QPointF& at) const;
  void close();
  QPolygonF outline(const Target& t, const std::vector<Vec2>& points) const;

  matte::ShapePoints fresh_;
  bool pulling_ = false, dragging_ = false, pullsHandles_ = false;
  Grip grip_;
  mutable map::MapPtr there_, back_;
  mutable std::tuple<unsigned, int, std::string> carrierOf_{~0U, 0, ""};
};

}  // namespace zentil::app
