#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QStringList>
#include <QThreadPool>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

#include "app/document/session.h"
#include "core/base/job.h"
#include "core/comp/render_cache.h"
#include "core/estimate/follow.h"
#include "core/lens/board.h"
#include "core/lens/pixel_maps.h"
#include "core/measure/best_frame.h"

namespace zentil::app {

/// The shot's slow work, one at a time in the background: boards are calibrated, ST maps read, maps and straight plates
/// written, features followed, cameras solved. What comes of it is applied to the shot as one edit, and told in
/// report().
class ShotJobs : public QObject {
  Q_OBJECT
 public:
  ShotJobs(Session* session, std::shared_ptr<comp::RenderCache> cache, QObject* parent = nullptr);
  ~ShotJobs() override;

  void calibrate(const QStringList& pictures);
  void readStMaps(const lens::StMapFiles& files);
  /// ST maps, render sheet and coefficients.
  void writeLens(const QString& folder);
  void writeStraight(const QString& folder);
  /// Follows features as the shot asks; stopped, what was followed so far is kept.
  void follow();
  /// Follows one tracker, or one region, from frame to frame as told.
  void followTracker(int id, const std::vector<estimate::Way>& ways);
  void followRegion(int id, const std::vector<estimate::Way>& ways);
  void refineRegion(int id, int frame);
  /// Weighs every frame as a source for a patch's place on the frame that is shown.
  void findFrames(const QString& elementId);
  /// What was found last, for as long as the place is the same; null: nothing.
  const measure::FoundFrames* found() const { return found_ ? &*found_ : nullptr; }
  void dropFound();
  /// Finds the fewest frames that show a fill's place between them, and takes them.
  void fillFromFewest(const QString& elementId);
  /// What its matte outlines stands before its surface: how far away is measured.
  void putOnCard(const QString& elementId);
  /// Finds where its surface looks the same a step further on, and takes a patch or fill from there.
  void snapRepeat(const QString& elementId);
  /// Sets the limits of the key that is the chosen part of a matte, by the plate's pixels in a box on the frame that is
  /// shown (edit::pickKey).
  void pickKey(const Box& box, bool covers);
  /// Measures the plate's grain around a fill, and lays it on it afresh.
  /// A spot where the frame that is shown shows this pixel.
  void findSpot(const Vec2& pixel);
  /// A spot's depth from something else.
  void findSpotAgain(const QString& spotId, set::DepthFrom from);
  /// The same spot's place, shown on a second frame.
  void showSpot(const QString& spotId, const Vec2& pixel);
  /// Writes camera, set and spots for other programs.
  void exportShot();
  /// Writes all mattes as pictures, and what they cut out of the plate.
  void deliverMattes(bool cutouts);
  /// Writes their shapes, carried to every frame.
  void deliverShapes();
  /// Writes the steadied pictures, and a shot that has them as its plate, into "steady" beside the shot.
  void deliverSteady();
  /// The steadying as ST maps, into the same place.
  void deliverSteadyMaps();
  void writeFlatPlate();
  /// Writes the picture of a painted element for another program.
  void sendOut(const QString& elementId, const QString& file);
  void measureGrain(const QString& elementId);
  /// Measures what a shadow lets through on the frame that is shown.
  void measureShade(const QString& elementId);
  /// Finds how a sphere turns; stopped, what was found so far is kept.
  void findTurns();
  /// Solves the camera from the shot's tracks.
  void solve();
  /// The camera held still over the range, with a backdrop that fills the frame.
  void holdStill();
  /// The own move of something before the camera, as a surface that moves.
  void solveObject();
  void stop();

  bool busy() const { return job_ != nullptr; }
  double done() const { return done_; }
  QString words() const { return words_; }
  /// What the last calibration or map said, for as long as the lens is theirs.
  QString report() const { return report_; }
  int secondsLeft() const;

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
  /// Runs `work` in the background; what it returns is then done on the window's thread.
  void run(const QString& words, const std::function<std::function<void()>(const Job&)>& work);

  Session* session_;
  std::shared_ptr<comp::RenderCache> cache_;
  QThreadPool pool_;
  std::shared_ptr<Job> job_;
  double done_ = 0;
  QElapsedTimer clock_;
  std::vector<Vec2> features_;
  static constexpr int kNoFrame = -(1 << 30);
  int featuresOn_ = kNoFrame;
  QString words_, report_;
  std::optional<measure::FoundFrames> found_;
  std::shared_ptr<const shot::Shot> foundIn_;
  std::vector<estimate::Way> ways_;  ///< that a tracker or region is being followed along
};

/// A calibration in words: figures with their errors, pictures left out, what would make it better.
QString describe(const lens::BoardAnswer& answer);

}  // namespace zentil::app
