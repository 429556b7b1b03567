#pragma once
#include <QContextMenuEvent>
#include "app/picture/world_view.h"
#include "core/camera/camera.h"

namespace zentil::app {

/// The set seen from anywhere: its points, surfaces with the shot's picture thrown onto them from the camera, and the
/// camera's path. Drag with the right button to go around, with the middle to move, turn the wheel to come nearer.
class SetView : public WorldView {
  Q_OBJECT
 public:
  SetView(Session* session, Engine* engine, QWidget* parent = nullptr);
  bool toScreen(const Vec3& world, QPointF& at) const override;
  bool rayAt(const QPointF& at, Vec3& origin, Vec3& direction) const override;
  /// Looks at all there is from above and beside.
  void frameAll();
  bool settled() const { return !making_ && !again_; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void showEvent(QShowEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override { e->accept(); }

 private:
  camera::Camera camera(double scale = 1) const;
  void render();
  void paintPath(QPainter& p);

  Vec3 target_ = Vec3::Zero();
  double around_ = 0.6, above_ = 0.45, distance_ = 12;
  QImage image_;
  bool making_ = false, again_ = false, framed_ = false;
  int turning_ = 0;
  QPointF from_, clickedAt_;
};

}  // namespace zentil::app
