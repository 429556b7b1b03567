#pragma once
#include <QImage>
#include <QMap>
#include <QMutex>
#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <list>
#include <map>
#include <unordered_map>

#include "app/document/session.h"
#include "app/tasks/delivery.h"
#include "app/tasks/meter.h"
#include "app/tasks/plate_search.h"
#include "app/tasks/shot_jobs.h"

namespace zentil::app {

/// Makes pictures for the window in the background, ahead of the playhead, and keeps them within a budget; what
/// measures and what delivers works beside it. Nothing here keeps the interface waiting: a picture that is not ready is
/// asked for and announced by ready().
class Engine : public QObject {
  Q_OBJECT
 public:
  explicit Engine(Session* session, size_t budgetBytes, QObject* parent = nullptr);
  ~Engine() override;

  /// A finished image, or a null one: then it is being made, before everything else.
  QImage image(int frame, Layer layer);
  bool hasImage(int frame, Layer layer) const;
  /// The frames that have one, in no order.
  std::vector<int> framesWithImage(Layer layer) const;
  /// The most recent image of a layer that was shown, for while the right one is made.
  struct Latest {
    QImage image;
    int frame = 0;
  };
  Latest latest(Layer layer) const { return latest_.value(static_cast<int>(layer)); }
  /// What there is to look at now: the finished image, else the best there is while that is being made.
  struct Shown {
    QImage image;
    enum What {
      Finished,
      Draft,      ///< all elements, fills from a few frames
      Parts,      ///< the plate and the elements that are ready
      Plate,      ///< the plate alone
      Before,     ///< of this frame, as the shot was before
      OtherFrame  ///< of another frame
    } what = Finished;
    int frame = 0;     ///< that it is of
    int laid = 0;      ///< elements that are ready, from the bottom
    int elements = 0;  ///< in all; 0: not known
    QString making;    ///< the name of the next, which is being made
  };
  Shown shown(int frame, Layer layer);
  /// Whether an element is missing from what is shown of a frame because it is not ready.
  bool isAwaited(int frame, const QString& element) const;
  /// Asks for frames ahead of time, in order.
  void lookAhead(const std::vector<int>& frames, Layer layer);
  /// Where the top-left pixel of an image lies: (0,0), or outside the frame when it is straight.
  QPoint originOf() const { return origin_; }
  /// The floats under a pixel of the current frame, if they are at hand.
  bool valueAt(int frame, const Vec2& plate, float (&rgba)[4]) const;
  /// Why a frame has no picture; empty where it has one, or will.
  QString problemAt(int frame) const { return problems_.value(frame); }
  /// Which element a frame's picture is without, and why.
  QString missingAt(int frame) const { return incomplete_.value(frame); }

  comp::RenderCache& cache() { return *cache_; }
  std::shared_ptr<comp::RenderCache> sharedCache() { return cache_; }
  void setBudget(size_t bytes);
  size_t bytesHeld() const;

  Meter& meter() { return *meter_; }
  const Meter& meter() const { return *meter_; }
  const PlateSearch& plateSearch() const { return *plateSearch_; }
  Delivery& delivery() { return *delivery_; }
  const Delivery& delivery() const { return *delivery_; }
  ShotJobs& jobs() { return *jobs_; }

  /// True while pictures are being made that somebody waits for.
  bool making() const { return waitedFor() > 0 || !wanted_.empty(); }
  /// The content key of a frame's picture; worked out now when it is not known.
  uint64_t momentKey(int frame) const;
  /// For what may take long, beside the making of pictures.
  QThreadPool& slowPool() { return slowPool_; }

  /// Waits until nothing is being made or measured; for tests and for taking pictures of the window.
  bool settle(int milliseconds);
  bool idle() const;

 signals:
  void ready(int frame);

 private:
  struct Key {
    uint64_t state;
    uint64_t view;
    int frame;
    bool operator==(const Key&) const = default;
  };
  struct KeyHash {
    size_t operator()(const Key& k) const {
      return k.state ^ (k.view * 0x9e3779b97f4a7c15ULL) ^ (static_cast<size_t>(k.frame) << 20);
    }
  };
  struct Kept {
    QImage image;
    std::list<Key>::iterator place;
  };

  bool filled() const;  ///< what is looked at is steadied, and filled beyond the plate
  Key keyOf(int frame, Layer layer) const;
  /// From the steadied picture's pixels to straight ones, when it is looked at so; else null.
  void startMaking(const Key& key, int frame, Layer layer);
  void pump();
  struct Wanted {
    Key key;
    int frame;
    Layer layer;
  };
  /// Ahead: nobody waits for it yet.
  void start(const Wanted& wanted, bool ahead);
  int waitedFor() const;
  /// Stops what is made for a frame or for settings that are not looked at any more.
  void stopStale();
  void finished(const Key& key, int frame, Layer layer, const QImage& image, const QString& problem,
                const std::shared_ptr<image::Picture>& floats);
  void refreshKeys();
  /// Works out the keys of all frames anew, with the files as they are on disk: what changed there is followed.
  void scanFiles();

  Session* session_;
  std::shared_ptr<comp::RenderCache> cache_;
  QThreadPool pool_, aheadPool_, slowPool_;
  size_t imageBudget_, imageBytes_ = 0;
  ShotJobs* jobs_;
  Meter* meter_;
  PlateSearch* plateSearch_;  ///< its child
  Delivery* delivery_;
  std::unordered_map<Key, Kept, KeyHash> images_;
  std::list<Key> order_;
  struct Making {
    std::shared_ptr<Job> job;
    Wanted what;
    bool ahead;
  };
  std::vector<Making> making_;
  std::list<Wanted> wanted_, ahead_;  ///< those somebody waits for; those made ahead
  /// The shown frame's picture as far as it has come.
  struct Partial {
    Key key{};
    QImage image;
    bool draft = false;  ///< all elements, fills from a few frames
    int laid = 0;
    QStringList elements;  ///< ids, bottom first
    QString next;          ///< the name of the one that is being made
  };
  Partial partial_;
  void takePartial(const Partial& partial);
  QMap<int, Latest> latest_;
  QPoint origin_;
  mutable std::unordered_map<int, uint64_t> momentKeys_;  ///< by frame; those that are known
  unsigned edits_ = 0;                                    ///< counts whatever makes keys unknown
  bool scanning_ = false;
  QTimer scanTimer_;
  QMap<int, QString> problems_;    ///< by frame: why it has no picture
  QMap<int, QString> incomplete_;  ///< by frame: which element its picture is without, and why
  std::shared_ptr<image::Picture> floats_;
  Key floatsKey_{};
};

}  // namespace zentil::app
