#include "app/tasks/shot_jobs.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QPointer>
#include <cmath>

#include "app/document/background.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/edit/cleanup.h"
#include "core/edit/lens.h"
#include "core/edit/make.h"
#include "core/edit/object.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/spots.h"
#include "core/edit/still_camera.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/estimate/object.h"
#include "core/estimate/spot_depth.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/output/lens_files.h"
#include "core/output/straight_plates.h"
#include "core/shot/trackers.h"

namespace zentil::app {

ShotJobs::ShotJobs(Session* session, std::shared_ptr<comp::RenderCache> cache, QObject* parent)
    : QObject(parent), session_(session), cache_(std::move(cache)), work_(session, true), reading_(session, false) {
  for (const TaskQueue* q : {&work_, &reading_}) connect(q, &TaskQueue::changed, this, &ShotJobs::changed);
  connect(session, &Session::shotChanged, this, [this] {
    if (found_ && !foundHolds()) dropFound();
  });
  connect(session, &Session::filesFollowed, this, &ShotJobs::dropFound);
  connect(session, &Session::documentReplaced, this, [this] {
    report_.clear(), features_.clear();
    dropFound();
  });
}

QString ShotJobs::ofElement(const QString& words, const QString& elementId) const {
  const auto* e = session_->shot().element(elementId.toStdString());
  return e ? tr("%1: %2").arg(words, QString::fromStdString(e->name)) : words;
}

void ShotJobs::findSpot(const Vec2& pixel, std::optional<int> frame) {
  const int at = frame.value_or(session_->frame());
  if (waits(tr("Finding its depth"), [=, this] { findSpot(pixel, at); })) return;
  const auto shot = session_->snapshot();
  run(tr("Finding its depth"), [this, shot, at, pixel](const Job& job) {
    const auto found = estimate::spotAt(*shot, at, pixel, *cache_, job);
    return std::function<void()>([this, found] {
      std::string id;
      session_->change(tr("add a spot"), [&](shot::Shot& s) { id = edit::addSpot(s, found.spot); });
      session_->chooseSpot(QString::fromStdString(id));
      const auto* made = session_->shot().spot(id);
      if (!made) return;
      const QString words = QString::fromStdString(made->name + " " + found.words + ".");
      if (!found.doubtful) {
        session_->say(words, false);
        return;
      }
      const QString spot = QString::fromStdString(id);
      emit session_->offered(words, tr("Find depth from the picture"),
                             [this, spot] { findSpotAgain(spot, set::DepthFrom::Picture); });
    });
  });
}

void ShotJobs::findSpotAgain(const QString& spotId, set::DepthFrom from) {
  if (waits(tr("Finding its depth"), [=, this] { findSpotAgain(spotId, from); })) return;
  const auto shot = session_->snapshot();
  const std::string id = spotId.toStdString();
  run(tr("Finding its depth"), [this, shot, id, from](const Job& job) {
    const auto found = edit::spotAgain(*shot, id, from, *cache_, job);
    return std::function<void()>([this, id, found] {
      session_->change(tr("change a spot's depth source"), [&](shot::Shot& s) { edit::placeSpot(s, id, found.spot); });
      if (const auto* spot = session_->shot().spot(id))
        session_->say(QString::fromStdString(spot->name + " " + found.words + "."), false);
    });
  });
}

void ShotJobs::showSpot(const QString& spotId, const Vec2& pixel) {
  const std::string id = spotId.toStdString();
  session_->change(tr("show a spot on a second frame"), [&](shot::Shot& s) {
    const auto* spot = s.spot(id);
    if (!spot) throw Error("no spot is chosen", "Choose one first");
    const auto found = estimate::spotFrom(s, spot->frame, spot->pixel, session_->frame(), pixel);
    edit::placeSpot(s, id, found.spot);
    session_->say(QString::fromStdString(spot->name + " " + found.words + "."), false);
  });
}

ShotJobs::~ShotJobs() = default;

void ShotJobs::stop() {
  if (work_.busy())
    work_.stop();
  else
    reading_.stop();
}

void ShotJobs::load(const QString& what, const std::function<void(shot::Shot&)>& edit,
                    const std::function<void()>& then) {
  if (reading_.waits(
          what, [=, this] { load(what, edit, then); }, true))
    return;
  const auto base = session_->snapshot();
  reading_.start(what, [this, base, what, edit, then](const Job& job) -> TaskQueue::Apply {
    const auto next = std::make_shared<shot::Shot>(*base);
    edit(*next);
    job.checkpoint();
    return [this, base, next, what, edit, then] {
      // On the shot as it is now: what was read is read once more.
      if (session_->snapshot() != base) return load(what, edit, then);
      session_->change(what, [&](shot::Shot& s) { s = *next; });
      if (then) then();
    };
  });
}

void ShotJobs::read(const QString& what, const TaskQueue::Work& read) {
  if (reading_.waits(
          what, [=, this] { this->read(what, read); }, true))
    return;
  reading_.start(what, read);
}

void ShotJobs::afterReading(std::function<void()> next) {
  if (!reading_.waits({}, next, true)) next();
}

void ShotJobs::calibrate(const QStringList& pictures) {
  if (waits(tr("Calibrating"), [=, this] { calibrate(pictures); })) return;
  std::vector<std::filesystem::path> files;
  for (const QString& p : pictures) files.emplace_back(p.toStdString());
  run(tr("Calibrating"), [this, files](const Job& job) {
    const auto answer = lens::calibrate(files, {}, job);
    return std::function<void()>([this, answer] {
      report_ = describe(answer);
      session_->change(tr("calibrate the lens"), [&](shot::Shot& s) { edit::takeBoards(s, answer); });
    });
  });
}

void ShotJobs::readStMaps(const lens::StMapFiles& files) {
  if (waits(tr("Reading ST maps"), [=, this] { readStMaps(files); })) return;
  const int w = session_->shot().width, h = session_->shot().height;
  if (w < 1) {
    session_->say(tr("ST maps belong to a plate: open it first."));
    return;
  }
  run(tr("Reading ST maps"), [this, files, w, h](const Job&) {
    const auto answer = lens::readStMaps(files, w, h);
    return std::function<void()>([this, answer] {
      report_ = answer.fromTop ? tr("Green counts from the top.") : tr("Green counts from the bottom.");
      if (answer.pairWorstPx > 0)
        report_ += tr(" There and back: %1 px in the middle of all, %2 px at the worst.")
                       .arg(answer.pairPx, 0, 'f', 3)
                       .arg(answer.pairWorstPx, 0, 'f', 3);
      for (const auto& r : answer.remarks) report_ += "\n" + QString::fromStdString(r) + ".";
      session_->change(tr("take the lens from ST maps"), [&](shot::Shot& s) { edit::takeMaps(s, answer.maps); });
      if (!answer.remarks.empty()) session_->say(QString::fromStdString(answer.remarks.front()) + ".");
    });
  });
}

void ShotJobs::sayFollowed(QStringList words, const estimate::Unread& unread, bool warning) {
  if (!unread.empty()) words << QString::fromStdString(estimate::toWords(unread)) + ".";
  // One notice: a second would take the place of the first.
  if (!words.isEmpty()) session_->say(words.join(' '), warning || !unread.empty());
}

void ShotJobs::follow() {
  if (waits(tr("Tracking"), [=, this] { follow(); })) return;
  const auto shot = session_->snapshot();
  run(tr("Tracking"), [this, shot](const Job& job) {
    estimate::Unread unread;
    const auto tracks = std::make_shared<track::Tracks>(estimate::followShot(*shot, *cache_, job, &unread));
    return std::function<void()>([this, tracks, unread] {
      features_.clear(), featuresOn_ = kNoFrame;
      session_->change(tr("track"), [&](shot::Shot& s) { edit::takeFollowed(s, *tracks); });
      sayFollowed({}, unread);
    });
  });
}

void ShotJobs::followTracker(int id, const std::vector<estimate::Way>& ways) {
  if (waits(tr("Tracking by hand"), [=, this] { followTracker(id, ways); })) return;
  const auto shot = session_->snapshot();
  ways_ = ways;
  run(tr("Tracking by hand"), [this, shot, id, ways](const Job& job) {
    estimate::Unread unread;
    const auto track = estimate::followTracker(*shot, id, ways, *cache_, job, &unread);
    return std::function<void()>([this, track, unread, stopped = job.stopped()] {
      session_->change(tr("follow %1").arg(QString::fromStdString(track.hand->name)),
                       [&](shot::Shot& s) { edit::putTrack(s, track); });
      const int last = ways_.empty() ? 0 : ways_.back().to;
      const auto& weak = track.hand->weak;
      QStringList words;
      if (!weak.empty() && !stopped)
        words << tr("Frames not kept: %n. There it is not known within %1 px: make its pattern larger, place "
                    "it on a corner, or ask for less.",
                    nullptr, static_cast<int>(weak.size()))
                     .arg(track.hand->within);
      else if (!track.has(last) && !unread.count(last) && !stopped)
        words << tr("Lost on the way to frame %1. Go where it went astray, drag it back, and follow again.").arg(last);
      sayFollowed(words, unread);
    });
  });
}

void ShotJobs::followRegion(int id, const std::vector<estimate::Way>& ways) {
  if (waits(tr("Tracking a region"), [=, this] { followRegion(id, ways); })) return;
  const auto shot = session_->snapshot();
  ways_ = ways;
  run(tr("Tracking a region"), [this, shot, id, ways](const Job& job) {
    estimate::Unread unread;
    const auto region = estimate::followRegionOf(*shot, id, ways, *cache_, job, &unread);
    return std::function<void()>([this, region, unread, stopped = job.stopped()] {
      session_->change(tr("follow %1").arg(QString::fromStdString(region.name)),
                       [&](shot::Shot& s) { edit::putRegion(s, region); });
      QStringList words;
      if (stopped) words << tr("Stopped: %1 frames have it now.").arg(region.motion.size());
      const auto lost = std::find_if(ways_.begin(), ways_.end(),
                                     [&](const auto& w) { return !region.has(w.to) && !unread.count(w.to); });
      if (!stopped && lost != ways_.end())
        words << tr("Lost before frame %1: the region is hidden, out of frame or looks too different.").arg(lost->to);
      sayFollowed(words, unread, !stopped);
    });
  });
}

void ShotJobs::refineRegion(int id, int frame) {
  if (waits(tr("Refining"), [=, this] { refineRegion(id, frame); })) return;
  const auto shot = session_->snapshot();
  run(tr("Refining"), [this, shot, id, frame](const Job&) {
    const auto region = estimate::refineRegion(*shot, id, frame, *cache_);
    return std::function<void()>([this, region] {
      session_->change(tr("refine %1").arg(QString::fromStdString(region.name)),
                       [&](shot::Shot& s) { edit::putRegion(s, region); });
    });
  });
}

void ShotJobs::findTurns() {
  if (waits(tr("Finding how it turns"), [=, this] { findTurns(); })) return;
  const auto shot = session_->snapshot();
  run(tr("Finding how it turns"), [this, shot](const Job& job) {
    estimate::Unread unread;
    const auto turns = estimate::turnsOf(*shot, *cache_, job, &unread);
    return std::function<void()>([this, turns, unread] {
      session_->change(tr("find how it turns"), [&](shot::Shot& s) { edit::takeTurns(s, turns); });
      sayFollowed({}, unread);
      if (turns.at.empty()) return;
      const auto& last = turns.at.rbegin()->second;
      report_ = tr("Features agree to %1 px; the last frame is turned to within %2° of the first (standard error).")
                    .arg(turns.residualPx, 0, 'f', 2)
                    .arg(last.sigmaDegrees, 0, 'g', 2);
      const auto travels =
          std::count_if(turns.at.begin(), turns.at.end(), [](const auto& t) { return t.second.travels; });
      if (travels > 0) report_ += tr(" It travels on %1 frames.").arg(travels);
      if (!turns.lost.empty())
        report_ += tr(" Nothing is known of %1: missing, or too little is seen again.")
                       .arg(QString::fromStdString(describeFrames(turns.lost)));
    });
  });
}

void ShotJobs::solve() {
  if (waits(tr("Solving"), [=, this] { solve(); })) return;
  const auto shot = session_->snapshot();
  run(tr("Solving"), [this, shot](const Job& job) {
    try {
      const auto answer = estimate::solveShot(*shot, job);
      return std::function<void()>([this, answer] {
        session_->change(tr("solve the camera"), [&](shot::Shot& s) { edit::takeSolve(s, answer); });
      });
    } catch (const solve::StandsStill& e) {
      return std::function<void()>([this, words = QString::fromStdString(e.what())] {
        emit session_->offered(words, tr("Static camera"), [this] { holdStill(); });
      });
    }
  });
}

void ShotJobs::holdStill() {
  edit::StillCamera held;
  session_->change(tr("static camera"), [&](shot::Shot& s) { held = edit::holdStillCamera(s); });
  if (held.backdrop.empty()) return;
  session_->chooseThings({"surfaces." + held.backdrop});
  session_->say(tr("The camera is static%1. The surface \"backdrop\" fills the frame: a fill on it from all frames is "
                   "the clean plate.")
                    .arg(held.assumed ? tr(" (%1 mm assumed)").arg(held.focalMm, 0, 'f', 0) : QString()),
                false);
}

void ShotJobs::solveObject() {
  if (waits(tr("Solving the object"), [=, this] { solveObject(); })) return;
  const auto shot = session_->snapshot();
  run(tr("Solving the object"), [this, shot](const Job& job) {
    const auto answer = estimate::solveObject(*shot, *cache_, job);
    return std::function<void()>([this, answer] {
      session_->change(tr("solve an object"), [&](shot::Shot& s) { edit::takeObject(s, answer); });
      QString words =
          tr("The object's move is known on %1 frames, from %2 of %3 tracks: %4 px RMS. It is a surface now.")
              .arg(answer.places.size())
              .arg(answer.used)
              .arg(answer.of)
              .arg(answer.rmsPx, 0, 'f', 3);
      for (const auto& r : answer.remarks) words += " " + QString::fromStdString(r) + ".";
      session_->say(words, false);
    });
  });
}

void ShotJobs::preview(int frame) {
  if (works() || session_->shot().plate().empty()) return;
  const QPointer<ShotJobs> self(this);
  work_.aside([self, shot = session_->snapshot(), frame, cache = cache_] {
    std::vector<Vec2> found;
    try {
      found = estimate::featuresOn(*shot, frame, *cache);
    } catch (const std::exception&) {
      // A frame that cannot be read is named where it is shown.
    }
    inInterface([self, found, frame] {
      if (!self) return;
      self->features_ = found, self->featuresOn_ = frame;
      emit self->changed();
    });
  });
}

void ShotJobs::writeLens(const QString& folder, std::optional<int> asked) {
  const int at = asked.value_or(session_->frame());
  if (waits(tr("Writing maps"), [=, this] { writeLens(folder, at); })) return;
  const auto shot = session_->snapshot();
  const int frame = at;
  run(tr("Writing maps"), [this, shot, frame, folder](const Job& job) {
    const auto files = output::writeLensFiles(*evaluate::ShotEvaluator::of(shot), shot->lens, frame,
                                              folder.toStdString(), output::Origin::Bottom, job);
    return std::function<void()>(
        [this, n = files.size(), folder] { session_->say(tr("%1 files written to %2").arg(n).arg(folder), false); });
  });
}

void ShotJobs::writeStraight(const QString& folder) {
  if (waits(tr("Writing straight plates"), [=, this] { writeStraight(folder); })) return;
  const auto shot = session_->snapshot();
  run(tr("Writing straight plates"), [this, shot, folder](const Job& job) {
    std::vector<int> frames;
    for (int f = shot->range.first; f <= shot->range.last; ++f) frames.push_back(f);
    const auto files =
        output::writeStraightPlates(*evaluate::ShotEvaluator::of(shot), frames, folder.toStdString(), *cache_, job);
    return std::function<void()>([this, n = files.size(), folder] {
      session_->say(tr("%1 straight plates written to %2").arg(n).arg(folder), false);
    });
  });
}

QString describe(const lens::BoardAnswer& a) {
  QString text = QObject::tr("Focal length %1 ± %2 px, centre %3, %4 ± %5 px, k1 %6 ± %7; corners within %8 px (RMS).")
                     .arg(a.lens.fx, 0, 'f', 1)
                     .arg(a.focalSigma, 0, 'f', 1)
                     .arg(a.lens.cx, 0, 'f', 1)
                     .arg(a.lens.cy, 0, 'f', 1)
                     .arg(a.centreSigma.maxCoeff(), 0, 'f', 1)
                     .arg(a.lens.lens.k1, 0, 'f', 4)
                     .arg(a.sigma[0], 0, 'f', 4)
                     .arg(a.rmsPx, 0, 'f', 2);
  for (const auto& p : a.pictures) {
    const QString name = QFileInfo(QString::fromStdString(p.board.file)).fileName();
    text += "\n" + (p.used ? QObject::tr("%1: %2 × %3 corners, %4 px")
                                 .arg(name)
                                 .arg(p.board.columns)
                                 .arg(p.board.rows)
                                 .arg(p.rmsPx, 0, 'f', 2)
                           : name + ": " + QString::fromStdString(p.problem));
  }
  for (const auto& r : a.remarks) text += "\n" + QString::fromStdString(r) + ".";
  return text;
}

}  // namespace zentil::app
