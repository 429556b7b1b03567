#pragma once
#include <functional>

#include "app/document/session.h"
#include "app/tasks/engine.h"

class QPainter;
class QMouseEvent;
class QKeyEvent;

namespace zentil::app {

/// Something that draws and is dragged on the plate, as it is seen through the camera: outlines of mattes, lines along
/// straight things. The camera view offers every event to its tools in turn; each returns true when it took one.
class PictureTool {
 public:
  PictureTool(Session* session, Engine* engine) : session_(session), engine_(engine) {}
  virtual ~PictureTool() = default;
  std::function<QPointF(const Vec2&)> toScreen;  ///< plate pixel to widget
  std::function<Vec2(const QPointF&)> toPlate;

  virtual void paint(QPainter& p, const QPointF& pointer) = 0;
  virtual bool press(QMouseEvent* e) = 0;
  virtual bool move(QMouseEvent* e) = 0;
  virtual bool release(QMouseEvent* e) = 0;
  virtual bool doubleClick(QMouseEvent* e) = 0;
  virtual bool key(QKeyEvent* e, const QPointF& pointer) = 0;
  /// A key that the window has a use for is the tool's.
  virtual bool wants(QKeyEvent*) const { return false; }
  /// Takes back what is being drawn.
  virtual bool cancel() = 0;
  /// True while this is the tool in hand: it is drawn even when what lies over the picture is hidden.
  virtual bool inHand() const = 0;

 protected:
  /// What lies under a place of the plate, enlarged, beside a place of the screen.
  void loupe(QPainter& p, const QPointF& at, const Vec2& plate) const;
  Session* session_;
  Engine* engine_;
};

}  // namespace zentil::app
