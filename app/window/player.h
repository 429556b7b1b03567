#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include "app/picture/camera_view.h"

namespace zentil::app {

/// Plays at the shot's rate, around and around. A frame that is not ready in its time is dropped and counted; the
/// picture before it stays.
class Player : public QObject {
  Q_OBJECT
 public:
  Player(Session* session, Engine* engine, CameraView* view, QObject* parent = nullptr);
  bool playing() const { return timer_.isActive(); }
  void play();
  void pause();
  void toggle() { playing() ? pause() : play(); }
  int shownFrames() const { return shown_; }
  int droppedFrames() const { return dropped_; }
  double rate() const { return rate_; }  ///< frames a second that were really shown, over the last second or so
  /// Fills the cache from the playhead on, as far as the budget reaches.
  void lookAhead();

 signals:
  void changed();

 private:
  void tick();
  Session* session_;
  Engine* engine_;
  CameraView* view_;
  QTimer timer_;
  QElapsedTimer clock_, rateClock_;
  int startFrame_ = 0, lastIndex_ = -1, shown_ = 0, dropped_ = 0, rateShown_ = 0;
  double rate_ = 0;
};

}  // namespace zentil::app
