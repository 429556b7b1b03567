#pragma once
#include <QElapsedTimer>
#include <QImage>
#include <QMap>
#include <QMutex>
#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <list>
#include <map>
#include <unordered_map>

#include "app/session.h"
#include "app/shot_jobs.h"
#include "core/base/job.h"
#include "core/measure/blend.h"
#include "core/measure/slip.h"

namespace zentil::app {

/// Makes pictures for the window in the background, ahead of the playhead, and keeps them within a budget; measures
/// slip; delivers. Nothing here keeps the interface waiting: a picture that is not ready is asked for and announced by
/// ready().
class Engine : public QObject {
  Q_OBJECT
 public:
  explicit Engine(Session* session, size_t budgetBytes, QObject* parent = nullptr);
  ~Engine() override;

  /// A finished image, or a null one: then it is being made (first in line when `urgent`).
  QImage image(int frame, Layer layer, bool urgent = true);
  bool hasImage(int frame, Layer layer) const;
  /// The most recent image of a layer that was shown, for while the right one is made.
  QImage latest(Layer layer) const { return latest_.value(static_cast<int>(layer)); }
  /// Asks for frames ahead of time, in order.
  void lookAhead(const std::vector<int>& frames, Layer layer);
  /// Where the top-left pixel of an image lies: (0,0), or outside the frame when it is straight.
  QPoint originOf() const { return origin_; }
  /// The floats under a pixel of the current frame, if they are at hand.
  bool valueAt(int frame, const Vec2& plate, float (&rgba)[4]) const;
  QString problemAt(int frame) const { return problems_.value(frame); }

  comp::Workshop& workshop() { return *workshop_; }
  std::shared_ptr<comp::Workshop> sharedWorkshop() { return workshop_; }
  void setBudget(size_t bytes);
  size_t bytesHeld() const;

  // ---- slip
  const measure::Slip* slipOf(const QString& elementId) const;
  /// What is wrong with a cg element's render, in words; empty when nothing is, or is not known yet.
  QString warningOf(const QString& elementId) const {
    const auto it = warnings_.find(elementId);
    return it == warnings_.end() ? QString() : it->second;
  }
  bool measuring() const { return measuring_; }
  /// How an element sits in the picture of the session's frame: asked for when it is not known yet, null until then
  /// (slipChanged tells).
  const measure::BlendAt* blendOf(const QString& elementId);

  ShotJobs& jobs() { return *jobs_; }

  // ---- delivery
  /// `overwrite`: also files that Zentil did not write; else wouldReplace() asks.
  void deliver(bool overwrite = false);
  void stopDelivery();
  bool delivering() const { return deliveryJob_ != nullptr; }
  double deliveryDone() const { return deliveryDone_; }
  QString deliveryWords() const { return deliveryWords_; }
  int upToDate() const { return upToDate_; }  ///< frames delivered as the shot is now; -1: not counted yet
  void countDelivered();

  /// Waits until nothing is being made or measured; for tests and for taking pictures of the window.
  bool settle(int milliseconds);
  bool idle() const;

 signals:
  void ready(int frame);
  void slipChanged();
  void deliveryChanged();
  void wouldReplace(const QString& words);
  void wouldLeave(const QString& words, bool overwrite);  ///< the shot's folder, for a place that was never allowed
  void deliveryEnded(bool complete, const QString& words);

 private:
  struct Key {
    uint64_t moment;
    uint64_t view;
    int frame;
    bool operator==(const Key&) const = default;
  };
  struct KeyHash {
    size_t operator()(const Key& k) const {
      return k.moment ^ (k.view * 0x9e3779b97f4a7c15ULL) ^ (static_cast<size_t>(k.frame) << 20);
    }
  };
  struct Kept {
    QImage image;
    std::list<Key>::iterator place;
  };

  bool filled() const;  ///< what is looked at is steadied, and filled beyond the plate
  Key keyOf(int frame, Layer layer) const;
  /// From the steadied picture's pixels to straight ones, when it is looked at so; else null.
  void startMaking(const Key& key, int frame, Layer layer, bool urgent);
  void pump();
  void finished(const Key& key, int frame, Layer layer, const QImage& image, const QString& problem,
                const std::shared_ptr<image::Picture>& floats);
  void refreshKeys();
  /// The content key of a frame's picture; worked out now when it is not known.
  uint64_t momentKey(int frame) const;
  /// Works out the keys of all frames anew, with the files as they are on disk: what changed there is followed.
  void scanFiles();
  void startMeasuring();
  void setDeliveryCount(int n);

  Session* session_;
  std::shared_ptr<comp::Workshop> workshop_;
  QThreadPool pool_, slowPool_;
  size_t imageBudget_, imageBytes_ = 0;
  ShotJobs* jobs_;
  std::unordered_map<Key, Kept, KeyHash> images_;
  std::list<Key> order_;
  std::unordered_map<Key, bool, KeyHash> making_;
  struct Wanted {
    Key key;
    int frame;
    Layer layer;
  };
  std::list<Wanted> wanted_;
  QMap<int, QImage> latest_;
  QPoint origin_;
  mutable std::unordered_map<int, uint64_t> momentKeys_;  ///< by frame; those that are known
  unsigned edits_ = 0;                                    ///< counts whatever makes keys unknown
  bool scanning_ = false;
  QTimer scanTimer_;
  QMap<int, QString> problems_;
  std::shared_ptr<image::Picture> floats_;
  Key floatsKey_{};

  std::map<QString, measure::Slip> slips_;
  std::map<QString, QString> warnings_;
  std::map<QString, uint64_t> slipKeys_;  ///< what each slip, or warning, was measured of
  /// How one element sits on one frame, and what that was measured of.
  struct Blend {
    QString element;
    uint64_t moment = 0;
    std::optional<measure::BlendAt> found;
    bool operator==(const Blend& o) const { return element == o.element && moment == o.moment; }
  };
  Blend blend_;
  bool blending_ = false;
  QTimer measureTimer_;
  std::shared_ptr<Job> measureJob_;
  bool measuring_ = false;

  std::shared_ptr<Job> deliveryJob_;
  QElapsedTimer deliveryClock_;
  double deliveryDone_ = 0;
  QString deliveryWords_;
  int upToDate_ = -1;
  QTimer countTimer_;
  unsigned countGeneration_ = 0;
};

}  // namespace zentil::app
