#pragma once
#include <QTabletEvent>
#include <deque>
#include <memory>
#include <optional>
#include <vector>

#include "app/picture/picture_tool.h"
#include "core/element/paint_settings.h"

namespace zentil::app {

/// The brush, over the chosen element of paint. Strokes are made by a thread of their own while the pen goes on, and
/// shown as they are; the shot gets each when it ends.
class Painter : public PictureTool {
 public:
  Painter(Session* session, Engine* engine);
  ~Painter() override;
  std::function<void()> changed;  ///< asks for the view to be painted again

  void paint(QPainter& p, const QPointF& pointer) override;
  bool press(QMouseEvent* e) override;
  bool move(QMouseEvent* e) override;
  bool release(QMouseEvent* e) override;
  /// Of two quick strokes the second begins as a double click.
  bool doubleClick(QMouseEvent* e) override { return press(e); }
  bool key(QKeyEvent* e, const QPointF& pointer) override;
  bool wants(QKeyEvent*) const override { return busy(); }
  bool cancel() override;
  bool inHand() const override { return session_->tool() == Tool::Paint; }
  /// A pen of a tablet; true when it was taken.
  bool pen(QTabletEvent* e);

  /// What lies over the picture until the picture itself has it.
  void paintFresh(QPainter& p, const std::function<QRectF(const QRectF&)>& toWidget);
  /// The picture on the screen is up to date: what was fresh is in it.
  void pictureIsCurrent();
  /// Milliseconds from a pen's touch to its first ink on the screen, and the longest from a place to its ink; for
  /// measuring.
  double firstInkMs() const { return firstInkMs_; }
  double worstLagMs() const { return worstLagMs_; }
  bool busy() const { return live_ != nullptr; }

 private:
  /// A stroke as the pen draws it; `ended`: the pen is up.
  struct RotoShapes {
    std::string element;
    element::Brush brush;
    std::vector<element::PenPoint> penPath;
    bool ended = false;
  };
  struct Live;
  const element::Paint* paintOf() const;
  /// True while the pen is down on a stroke.
  bool drawing() const;
  bool begin(const QPointF& at, double pressure, bool shift, bool erases = false);
  void start(RotoShapes drawn);
  void goOn(const QPointF& at, double pressure);
  void send(const element::PenPoint& point);
  void finish();
  void sendEnd();
  void startWaiting();
  void dropAll();
  void work(const std::shared_ptr<Live>& live);
  void take(const std::shared_ptr<Live>& live, const QImage& patch, const QPoint& at, qint64 drawnAt);
  void ended(const std::shared_ptr<Live>& live, const QString& problem);
  void sizeBy(double factor);
  void prepare();

  QThreadPool pool_;
  std::shared_ptr<Live> live_;          ///< the stroke that is being made
  std::deque<RotoShapes> waiting_;      ///< those begun meanwhile: each is painted on what the one before it made
  std::optional<QPointF> anchor_, to_;  ///< where a clone's offset is dragged from and to
  QImage fresh_;                        ///< as large as the frame
  QRect freshPart_;
  int freshOn_ = 0;
  bool committed_ = false;  ///< the shot has the stroke; its picture may not be there yet
  qint64 unseenSince_ = 0;  ///< when the pen was where ink is made, but not on the screen yet; 0: none
  double firstInkMs_ = 0, worstLagMs_ = 0;
  QObject guard_;
};

}  // namespace zentil::app
