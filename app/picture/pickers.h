#pragma once
#include <optional>

#include "app/picture/picture_tool.h"

namespace zentil::app {

/// A tool of one drag: from here to there. It stays in hand; Escape puts it down.
class DragTool : public PictureTool {
 public:
  DragTool(Session* session, Engine* engine, Tool tool) : PictureTool(session, engine), tool_(tool) {}

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  bool doubleClick(QMouseEvent*) override { return false; }
  bool key(QKeyEvent*, const QPointF&) override { return false; }
  bool cancel() override;
  bool inHand() const override { return session_->tool() == tool_; }

 protected:
  virtual void draw(QPainter& p, const QPointF& from, const QPointF& to) const = 0;
  virtual void dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) = 0;

 private:
  Tool tool_;
  std::optional<QPointF> from_;
  QPointF to_;
};

/// Picks for the key of the chosen matte's part: what it is to cover, or with Alt what it is to leave.
class KeyPicker : public DragTool {
 public:
  KeyPicker(Session* session, Engine* engine) : DragTool(session, engine, Tool::Key) {}

 protected:
  void draw(QPainter& p, const QPointF& from, const QPointF& to) const override;
  void dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) override;
};

/// Shows what is straight up in a sphere.
class UpPicker : public DragTool {
 public:
  UpPicker(Session* session, Engine* engine) : DragTool(session, engine, Tool::Up) {}

 protected:
  void draw(QPainter& p, const QPointF& from, const QPointF& to) const override;
  void dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) override;
};

/// Raises a wall on the chosen surface, along its foot.
class WallPicker : public DragTool {
 public:
  WallPicker(Session* session, Engine* engine) : DragTool(session, engine, Tool::Wall) {}

 protected:
  void draw(QPainter& p, const QPointF& from, const QPointF& to) const override;
  void dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) override;
};

/// From the chosen element's place to where on its surface it is to be taken from; the shift grows by the drag.
class ElsewherePicker : public DragTool {
 public:
  ElsewherePicker(Session* session, Engine* engine) : DragTool(session, engine, Tool::Elsewhere) {}
  std::function<bool(const QPointF&, Vec3&, Vec3&)> rayAt;  ///< widget pixel to a ray of the world

 protected:
  void draw(QPainter& p, const QPointF& from, const QPointF& to) const override;
  void dragged(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers with) override;

 private:
  /// Where a place of the widget lies on the chosen element's surface, in that one's own axes.
  std::optional<Vec2> onSurface(const QPointF& at) const;
};

}  // namespace zentil::app
