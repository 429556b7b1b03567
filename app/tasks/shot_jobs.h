#pragma once
#include <QObject>
#include <QStringList>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

#include "app/document/session.h"
#include "app/tasks/task_queue.h"
#include "core/comp/render_cache.h"
#include "core/estimate/follow.h"
#include "core/lens/board.h"
#include "core/lens/st_maps.h"
#include "core/measure/best_frame.h"

namespace zentil::app {

/// The shot's slow work in the background: boards are calibrated, ST maps read, maps and straight plates written,
/// features followed, cameras solved. What comes of it is applied to the shot as one edit, and told in report(). What
/// is asked for while something runs waits for its turn, and takes the shot as it is then. Files are opened beside
/// that, in a queue of their own: a camera that is loaded does not wait until tracking is done.
class ShotJobs : public QObject {
  Q_OBJECT
 public:
  ShotJobs(Session* session, std::shared_ptr<comp::RenderCache> cache, QObject* parent = nullptr);
  ~ShotJobs() override;

  void calibrate(const QStringList& pictures);
  void readStMaps(const lens::StMapFiles& files);
  /// ST maps, render sheet and coefficients.
  void writeLens(const QString& folder, std::optional<int> frame = {});
  void writeStraight(const QString& folder);
  /// Follows features as the shot asks; stopped, what was followed so far is kept.
  void follow();
  /// Follows one tracker, or one region, from frame to frame as told.
  void followTracker(int id, const std::vector<estimate::Way>& ways);
  void followRegion(int id, const std::vector<estimate::Way>& ways);
  void refineRegion(int id, int frame);
  /// Weighs every frame as a source for a patch's place on the frame that is shown.
  void findFrames(const QString& elementId, std::optional<int> frame = {});
  /// What was found last, for as long as the place is the same; null: nothing.
  const measure::FoundFrames* found() const { return found_ ? &*found_ : nullptr; }
  void dropFound();
  /// Finds the fewest frames that show a fill's place between them, and takes them.
  void fillFromFewest(const QString& elementId);
  /// What its matte outlines stands before its surface: how far away is measured.
  void putOnCard(const QString& elementId);
  /// Finds where its surface looks the same a step further on, and takes a patch or fill from there.
  void snapRepeat(const QString& elementId, std::optional<int> frame = {});
  /// Sets the limits of the key that is the chosen part of a matte, by the plate's pixels in a box on the frame that is
  /// shown (edit::pickKey).
  struct KeyPick {
    std::string matte, part;
    int frame = 0;
    Box box;
    bool covers = true;
  };
  void pickKey(const KeyPick& pick);
  /// A spot where the frame that is shown shows this pixel.
  void findSpot(const Vec2& pixel, std::optional<int> frame = {});
  /// A spot's depth from something else.
  void findSpotAgain(const QString& spotId, set::DepthFrom from);
  /// The same spot's place, shown on a second frame.
  void showSpot(const QString& spotId, const Vec2& pixel);
  /// Writes camera, set and spots for other programs.
  void exportShot();
  /// Writes all mattes as pictures, and what they cut out of the plate.
  void deliverMattes(bool cutouts);
  /// Every element as a layer of its own, with depth and motion.
  void deliverLayers();
  /// Writes their shapes, carried to every frame.
  void deliverShapes();
  /// Writes the steadied pictures, and a shot that has them as its plate, into "steady" beside the shot.
  void deliverSteady();
  /// The steadying as ST maps, into the same place.
  void deliverSteadyMaps();
  void writeFlatPlate();
  /// Writes the picture of a painted element for another program.
  void sendOut(const QString& elementId, const QString& file);
  /// Measures the plate's grain around a fill, and puts it on it afresh.
  void measureGrain(const QString& elementId);
  /// Measures by how much an element is brighter than the plate around it on the frame that is shown, and evens it out.
  void matchLevel(const QString& elementId, std::optional<int> frame = {});
  /// Measures what a shadow lets through on the frame that is shown.
  void measureShade(const QString& elementId, std::optional<int> frame = {});
  /// Finds how a sphere turns; stopped, what was found so far is kept.
  void findTurns();
  /// Solves the camera from the shot's tracks.
  void solve();
  /// The camera held still over the range, with a backdrop that fills the frame.
  void holdStill();
  /// The own move of something before the camera, as a surface that moves.
  void solveObject();
  /// Changes the shot by what is read from files, as one edit; `then` is called after it. Where the shot was edited
  /// meanwhile, it is done anew on the shot as it is.
  void load(const QString& what, const std::function<void(shot::Shot&)>& edit, const std::function<void()>& then = {});
  /// Reads something else from files; what `read` returns is done on the window's thread.
  void read(const QString& what, const TaskQueue::Work& read);
  /// Done once all is read that was asked for so far.
  void afterReading(std::function<void()> next);
  /// Stops what runs: work first, then what is read.
  void stop();

  bool busy() const { return work_.busy() || reading_.busy(); }
  bool works() const { return work_.busy(); }
  bool reads() const { return reading_.busy(); }
  double done() const { return seen().done(); }
  QString words() const { return seen().words(); }
  QStringList waiting() const { return work_.waiting() + reading_.waiting(); }
  int secondsLeft() const { return seen().secondsLeft(); }
  /// What the last calibration or map said, for as long as the lens is theirs.
  QString report() const { return report_; }

  /// Looks for features on a frame, as the shot asks, for looking at only.
  void preview(int frame);
  const std::vector<Vec2>& features() const { return features_; }
  int featuresOn() const { return featuresOn_; }

 signals:
  void changed();

 private:
  /// Where the shot hands on into; none, and said why, where it may not.
  std::optional<std::filesystem::path> exportFolder() const;
  std::optional<std::filesystem::path> steadyFolder() const;
  /// What came of following, and which frames were left out.
  void sayFollowed(QStringList words, const estimate::Unread& unread, bool warning = true);
  bool foundHolds() const;
  /// The task's words with the element's name: the same work on another element is another task.
  QString ofElement(const QString& words, const QString& elementId) const;
  void run(const QString& words, const TaskQueue::Work& work) { work_.start(words, work); }
  bool waits(const QString& words, std::function<void()> again) { return work_.waits(words, std::move(again)); }
  const TaskQueue& seen() const { return work_.busy() || !reading_.busy() ? work_ : reading_; }

  Session* session_;
  std::shared_ptr<comp::RenderCache> cache_;
  TaskQueue work_, reading_;
  std::vector<Vec2> features_;
  static constexpr int kNoFrame = -(1 << 30);
  int featuresOn_ = kNoFrame;
  QString report_;
  std::optional<measure::FoundFrames> found_;
  std::shared_ptr<const shot::Shot> foundIn_;
  std::vector<estimate::Way> ways_;  ///< that a tracker or region is being followed along
};

/// A calibration in words: figures with their errors, pictures left out, what would make it better.
QString describe(const lens::BoardAnswer& answer);

}  // namespace zentil::app
