#pragma once
#include <QPixmap>
#include <QTimer>
#include <QWidget>
#include <optional>
#include <vector>

#include "app/document/session.h"
#include "app/tasks/engine.h"

namespace zentil::app {

/// The frames under the picture on one time axis: playhead, what is ready, source frames as pins, elements' ranges, and
/// slip as a curve. Click or drag to go to a frame; a click near the top of the slip curve goes to its worst frame and
/// takes that element. Keys of what is chosen
/// are diamonds: dragged they move, with Ctrl they are copied, Delete takes the clicked one away.
class Strip : public QWidget {
  Q_OBJECT
 public:
  Strip(Session* session, Engine* engine, QWidget* parent = nullptr);
  double xOf(double frame) const;
  int frameAt(double x) const;
  /// Where the keys of the chosen thing are drawn.
  double yOfKeys() const;
  /// Where a slip value is drawn.
  double yOfSlip(double px) const;
  /// Where an element's bar is drawn, by its place in the list; below 0: scrolled out of sight.
  double yOfBar(int element) const;
  /// Where the words and numbers of the axis stand; they never lie on each other.
  const std::vector<QRectF>& labels() const { return labels_; }
  QSize sizeHint() const override { return {600, 158}; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void leaveEvent(QEvent*) override;
  void wheelEvent(QWheelEvent* e) override;

 private:
  // Where things are, from the left and from the top.
  static constexpr int kLeft = 76, kRight = 18;
  static constexpr int kReadyY = 14, kNumbersY = 34, kSlipTop = 44, kSlipBottom = 88, kKeys = 99, kElements = 108,
                       kBar = 7;
  /// An element's bar, and whether a place on it is its first or last frame's end.
  struct Bar {
    std::string id;
    int end = 0;  ///< -1 its first frame, 1 its last, 0 between
  };
  std::optional<Bar> barAt(const QPointF& at) const;
  int rows() const;
  void showBar(const QString& element);
  void paintBars(QPainter& p);
  /// Why the slip of the chosen element cannot be told on a frame; empty: it can.
  QString whyUnknown(int frame) const;
  void setBarEnd(const Bar& bar, int frame, bool goesOn);
  double slipTopNow() const;
  double slipTop_ = 0.1;  ///< what the slip curve reaches up to, as it was last drawn
  void paintKeys(QPainter& p);
  /// The frame of the key under a place; none when there is none.
  std::optional<int> keyAt(const QPointF& at) const;
  void paintAxis(QPainter& p);
  /// Writes a word into a box, above or below it where another one stands already, or not at all.
  void label(QPainter& p, const QRectF& box, int align, const QString& text);
  void paintSlip(QPainter& p);
  void paintFit(QPainter& p);
  void paintFound(QPainter& p);
  /// What a search for frames found for the chosen element; null: nothing.
  const measure::FoundFrames* found() const;
  bool showsFit() const;
  double fitTop() const;
  void axisChanged();
  Session* session_;
  Engine* engine_;
  QPointF pointer_{-1, -1};
  std::vector<QRectF> labels_;
  QPixmap axis_;                  ///< everything but the playhead and the pointer
  bool stale_ = true;             ///< the axis is to be drawn anew
  std::optional<int> chosenKey_;  ///< the frame of the key that was clicked
  int draggedFrom_ = 0;
  bool draggingKey_ = false;
  std::optional<Bar> draggingBar_;
  int scrolled_ = 0;  ///< elements above the first bar that is shown
  QString shownFor_;  ///< the element whose bar was last brought into sight
  QTimer soon_;
};

}  // namespace zentil::app
