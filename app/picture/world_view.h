#pragma once
#include <QPainterPath>
#include <QWidget>
#include <memory>
#include <optional>

#include "app/document/session.h"
#include "app/picture/surface_handles.h"
#include "app/tasks/engine.h"
#include "core/edit/make.h"

namespace zentil::app {

/// A widget that looks at the set: through the shot's camera or freely. It draws points, surfaces and handles over what
/// it shows, and lets them be picked, lassoed, aimed at and dragged. Subclasses say where a world point is on the
/// widget, and what ray a place on it casts.
class WorldView : public QWidget, public Projector {
  Q_OBJECT
 public:
  WorldView(Session* session, Engine* engine, QWidget* parent = nullptr);

  /// Index of the point nearest to a place, within 9 px; -1 if there is none.
  int pointNear(const QPointF& at) const;
  /// The plane the tile stands on at a place, if anything says how it lies there.
  std::optional<edit::PlaneThrough> tileAt(const QPointF& at) const;

 signals:
  /// The right button was clicked, there on the screen; what lay under it is chosen.
  void menuWanted(const QPoint& place);
  /// Where the pointer is, in pixels of this view; both -1 where it left.
  void pointing(const QPointF& at);

 protected:
  /// Asks for the menu of the right button at a place of the widget.
  void askMenu(const QPoint& at);
  void paintWorld(QPainter& p);
  /// Each returns true when it took the event.
  bool worldPress(QMouseEvent* e);
  bool worldMove(QMouseEvent* e);
  bool worldRelease(QMouseEvent* e);
  bool cancelDrag();
  void leaveEvent(QEvent*) override;

  Session* session_;
  Engine* engine_;
  QPointF pointer_{-1, -1};

 private:
  void paintPoints(QPainter& p);
  void paintSurfaces(QPainter& p);
  /// A surface's outline as it is seen.
  QList<QLineF> linesOnWidget(const set::Surface& s) const;
  /// What the next click does with the tool in hand, and how to end it.
  void paintHint(QPainter& p);
  void paintTile(QPainter& p);
  /// As it stands on the shown frame.
  std::optional<set::Surface> chosenSurface() const;
  void placeTile(const QPointF& at);

  SurfaceHandles handles_;
  bool dragging_ = false;
  bool lasso_ = false, pressed_ = false, adding_ = false, free_ = false;
  QPointF pressedAt_;
  QPolygonF lassoPath_;
};

}  // namespace zentil::app
