#pragma once
#include <QContextMenuEvent>
#include <algorithm>
#include <array>

#include "app/document/looks.h"
#include "app/picture/crop_editor.h"
#include "app/picture/line_editor.h"
#include "app/picture/painter.h"
#include "app/picture/pickers.h"
#include "app/picture/region_editor.h"
#include "app/picture/shape_editor.h"
#include "app/picture/spot_picker.h"
#include "app/picture/tracker_editor.h"
#include "app/picture/world_view.h"

namespace zentil::app {

/// The shot through its camera: the picture with zoom and pan, comparisons, and everything that is drawn and dragged on
/// it.
class CameraView : public WorldView {
  Q_OBJECT
 public:
  CameraView(Session* session, Engine* engine, QWidget* parent = nullptr);

  QPointF plateToWidget(const Vec2& plate) const;
  Vec2 widgetToPlate(const QPointF& at) const;
  void fit();
  void zoomTo(double scale, const QPointF& about);
  double zoom() const { return scale_; }
  double wipeAt() const { return wipe_; }
  ShapeEditor& matteEditor() { return mattes_; }
  Painter& painter() { return painter_; }
  bool toScreen(const Vec3& world, QPointF& at) const override;
  bool rayAt(const QPointF& at, Vec3& origin, Vec3& direction) const override;
  /// True when what is on the screen is the shown frame itself, at full quality, and not a stand-in.
  bool upToDate() const { return upToDate_; }
  bool showIfReady(int frame);  ///< for playing: false when the frame is not there yet

 signals:
  void framePainted(int frame);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  bool event(QEvent* e) override;
  void tabletEvent(QTabletEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override { askMenu(e->pos()); }

 private:
  QRectF imageRect(const QImage& image) const;
  const std::shared_ptr<const view::OutputView>& look() const { return sight().look; }
  /// How the frame that is shown sees, and is looked at: the same for thousands of places of one picture.
  struct Sight {
    std::shared_ptr<const view::OutputView> look;  ///< null: as shot
    view::ViewPtr view;                            ///< null: no camera on this frame
  };
  const Sight& sight() const;
  bool flat() const;          ///< a flat view out of a sphere, which is steered by dragging
  view::Steer steer() const;  ///< of what is looked at, in the axes that dragging steers in
  void paintWipe(QPainter& p, Layer other);
  /// What is missing in the picture, and that it is of another frame or of settings from before: such a picture is
  /// never taken for the one that is asked for.
  /// What is said over a picture that is not the finished one; empty: it is.
  QString markFor(const Engine::Shown& shown) const;
  void paintMarks(QPainter& p, const Engine::Shown& shown);
  /// The plate's own border, bent straight.
  void paintPlateBorder(QPainter& p);
  void paintOverlays(QPainter& p);
  void paintGrid(QPainter& p) const;
  void paintTracks(QPainter& p) const;
  void paintErrors(QPainter& p) const;
  void paintHeld(QPainter& p) const;
  void paintPicture(QPainter& p, const QImage& image);
  void paintSlip(QPainter& p);
  void paintNeverSeen(QPainter& p);
  void paintTiles(QPainter& p, const measure::SlipAt& slip);
  /// Offers something to the tools in turn until one takes it.
  template <typename Offer>
  bool anyTool(const Offer& offer) {
    return std::any_of(tools_.begin(), tools_.end(), [&](PictureTool* t) { return offer(*t); });
  }

  ShapeEditor mattes_;
  LineEditor lines_;
  TrackerEditor trackers_;
  RegionEditor regions_;
  KeyPicker keys_;
  UpPicker up_;
  WallPicker walls_;
  ElsewherePicker elsewhere_;
  Painter painter_;
  SpotPicker spots_;
  CropEditor crop_;
  const std::array<PictureTool*, 11> tools_{&mattes_, &lines_,     &trackers_, &regions_, &keys_, &up_,
                                            &walls_,  &elsewhere_, &painter_,  &spots_,   &crop_};
  /// How wide a pixel of the plate is over its height, and where a place of the shown picture lies.
  double pixelAspect() const;
  QPointF onScreen(const Vec2& p) const;
  double scale_ = 1;  ///< widget pixels to a row of the picture
  QPointF offset_;    ///< widget position of plate (0,0)
  bool fitted_ = true, panning_ = false, wiping_ = false, flicker_ = false, upToDate_ = false;
  QPointF panFrom_, offsetFrom_;
  view::Steer steerFrom_;
  double wipe_ = 0.5;
  QTimer flickerTimer_;
  mutable Sight sight_;
  mutable std::optional<std::tuple<unsigned, int, View, const void*>> sightOf_;  ///< revision, frame, view, path
  QImage scaled_;  ///< the picture as it was last scaled for the screen...
  qint64 scaledOf_ = 0;
  QRectF scaledTo_;  ///< ...of which picture, where to
};

}  // namespace zentil::app
