#pragma once
#include <QImage>
#include <QLockFile>
#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <memory>
#include <set>

#include "core/base/files.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/history.h"
#include "core/steady/views.h"
#include "core/track/manual_tracker.h"

namespace zentil::app {

enum class Station { Plate, Lens, Track, Camera, Set, Work, Deliver };
enum class Tool { Pick, Tile, Matte, Line, Tracker, Region, Key, Elsewhere, Paint, Spot, SecondSpot, Up, Crop, Wall };
enum class Layer { Built, Plate, Difference, Other };
enum class Channel { Colour, Red, Green, Blue, Alpha };
enum class Compare { None, Wipe, Difference, Flicker };
enum class Viewing { Camera, Set, Both };

/// How the picture is looked at; nothing of it is delivered.
struct View {
  bool straight = false;   ///< without the lens; of a sphere: a flat view out of it
  bool steady = false;     ///< as the shot is steadied
  bool delivered = false;  ///< as the shot's output view has it
  view::Steer steer;       ///< of the flat view
  bool aimed = false;      ///< ...which looks as the shot's own does, by its keys
  double exposure = 0, gamma = 1;
  Channel channel = Channel::Colour;
  Compare compare = Compare::None;
  /// What is compared with: another frame, as the shown one sees it by way of the set; none: the plate.
  std::optional<int> against;
  double differenceGain = 8;
  bool overlays = true;
  bool errors = false;  ///< at Camera: which way each track departs from its point, many times enlarged
  bool held = false;    ///< at Camera: how far what is put into each part of the frame may slip
  bool grid = false;    ///< straight lines over the picture, and two through the pointer, to hold things against
  bool operator==(const View&) const = default;

  bool isAsShot() const { return !straight && !steady && !delivered; }
  void lookAsShot() { straight = steady = delivered = false; }
};

class Looks;

/// The open shot with its history and file, and what is being looked at: the playhead, what is chosen, the tool in
/// hand. Everything the window shows is read from here, and every edit goes through edit().
class Session : public QObject {
  Q_OBJECT
 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  // ---- the document
  const shot::Shot& shot() const { return history_.shot(); }
  std::shared_ptr<const shot::Shot> snapshot() const;  ///< the same value, safe to hand to another thread
  /// Its moments, with the files as they were when the shot, or a file, last changed.
  evaluate::ShotEvaluatorPtr evaluator() const;
  /// How its pictures are looked at, where that takes more than the view's own words.
  Looks& looks() const { return *looks_; }
  /// Files have changed on disk: moments are evaluated anew.
  void filesChanged();
  void edit(const shot::Shot& next, const QString& what, const QString& series = {});
  /// Changes one thing: change(copy of the shot). Errors become a notice and nothing changes.
  void change(const QString& what, const std::function<void(shot::Shot&)>& change, const QString& series = {});
  void endSeries() { history_.endSeries(); }
  void undo();
  void redo();
  const shot::History& history() const { return history_; }

  /// Another document; `evaluator`, of the same value, where somebody has one already.
  void replace(const shot::Shot& shot, const QString& file, evaluate::ShotEvaluatorPtr evaluator = {});
  /// A shot that was read from its file, and the unsaved edits beside it.
  struct Opened {
    QString file;
    std::shared_ptr<const shot::Shot> shot;  ///< null: it could not be read
    evaluate::ShotEvaluatorPtr evaluator;    ///< that has looked at its first frame
    QString problem, recoverable;
  };
  static Opened read(const QString& file);  ///< from any thread
  bool take(const Opened& opened);          ///< false with a notice where it could not be read
  bool open(const QString& file) { return take(read(file)); }
  /// False with a notice when it cannot be written; `over`: even when somebody else has written to it since.
  bool saveTo(const QString& file, bool over = false);
  /// True when the shot's file is not the one that was opened or saved any more.
  bool changedBeneath() const;
  QString file() const { return file_; }
  /// Whether the shot differs from what is in its file; one that was undone back to it does not.
  bool isModified() const;
  QStringList recent() const;
  /// Whether a person has allowed this shot to deliver to a place outside its folder.
  bool mayDeliverTo(const QString& pattern) const;
  void allowDelivery(const QString& pattern);

  /// Unsaved edits found beside the file on opening; empty: none.
  QString recoverable() const { return recoverable_; }
  void recover();
  /// The same once they are read.
  void takeRecovered(const shot::Shot& found);
  void forgetRecovery();
  void autosaveNow();
  /// Removes the autosave once it has been written to the end.
  void dropAutosave();
  QString autosave() const;
  static QString autosaveOf(const QString& file);  ///< beside a shot's file

  // ---- what is looked at
  int frame() const { return frame_; }
  void setFrame(int frame);
  Station station() const { return station_; }
  void setStation(Station s);
  Tool tool() const { return tool_; }
  void setTool(Tool t);
  /// What is amiss where a tracker is dragged.
  track::Correction correction() const { return correction_; }
  void setCorrection(track::Correction c) { correction_ = c; }
  const View& view() const { return view_; }
  void setView(const View& v);
  Viewing viewing() const { return viewing_; }
  void setViewing(Viewing v);
  bool draft() const { return draft_; }
  void setDraft(bool on);  ///< a drag is going on: quick pictures

  // ---- what is chosen
  const std::set<int>& points() const { return points_; }
  void choosePoints(std::set<int> points);
  QString surface() const { return surface_; }
  void chooseSurface(const QString& id);
  QString spot() const { return spot_; }
  void chooseSpot(const QString& id);
  /// A tracker or region, by id; -1: none.
  int tracker() const { return tracker_; }
  void chooseTracker(int id);
  int region() const { return region_; }
  void chooseRegion(int id);
  /// A line to find the lens by.
  QString line() const { return line_; }
  void chooseLine(const QString& id);
  QString element() const { return element_; }
  void chooseElement(const QString& id);
  /// A matte, and a part of it; empty: the chosen element's, its first.
  QString matte() const { return matte_; }
  QString part() const { return part_; }
  void chooseMatte(const QString& matte, const QString& part);

  /// What is chosen at this station, by where it stands in the shot ("elements.e1", "trackers.1000001"): the one whose
  /// words are open first, then those that were chosen along with it.
  std::vector<std::string> chosenThings() const;
  void chooseThings(const std::vector<std::string>& things);
  /// Chosen along with the others, or no more.
  void chooseAlso(const std::string& thing);
  bool isChosen(const std::string& thing) const;

  void say(const QString& text, bool warning = true) { emit notice(text, warning); }

 signals:
  void shotChanged();
  void filesFollowed();  ///< after filesChanged()
  void documentReplaced();
  void fileChanged();      ///< it was saved, perhaps under another name
  void recoveryChanged();  ///< unsaved edits were found, taken or dropped
  void frameChanged(int frame);
  void viewChanged();
  void chosenChanged();
  void stationChanged();
  void toolChanged();
  void notice(const QString& text, bool warning);
  /// A notice with a button that does what the text is about.
  void offered(const QString& text, const QString& label, const std::function<void()>& act);

 private:
  void afterEdit();
  void holdAsSaved();
  void remember(const QString& file);
  void lookForUntitled();

  shot::History history_;
  mutable std::shared_ptr<const shot::Shot> snapshot_;
  mutable evaluate::ShotEvaluatorPtr evaluator_;
  Looks* looks_;  ///< its child
  QString file_, recoverable_;
  QString damaged_;   ///< the file that could not be read, whose edits are recoverable; empty: those of this shot
  Stamp savedAs_;     ///< of the shot's file, when it was read or written
  QString untitled_;  ///< where edits of a shot without a file are kept
  std::unique_ptr<QLockFile> untitledInUse_;  ///< as long as this program runs
  QThreadPool autosaving_;                    ///< one at a time
  bool saidAutosave_ = false;
  shot::Shot saved_;                                        ///< as the file has it
  bool unsaved_ = false;                                    ///< no file has it: it was recovered
  mutable std::pair<unsigned, bool> modified_{~0U, false};  ///< as found at a revision
  unsigned autosavedRevision_ = 0;
  QTimer autosave_;
  int frame_ = 1;
  Station station_ = Station::Plate;
  track::Correction correction_ = track::Correction::Drift;
  Tool tool_ = Tool::Pick;
  View view_;
  Viewing viewing_ = Viewing::Camera;
  bool draft_ = false;
  std::set<int> points_;
  QString surface_, spot_, element_, matte_, part_, line_;
  std::vector<std::string> also_;  ///< things that are chosen along with the first
  int tracker_ = -1, region_ = -1;
};

}  // namespace zentil::app
