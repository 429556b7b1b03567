#include "app/tasks/shot_jobs.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QPointer>
#include <cmath>

#include "app/document/background.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/edit/lens.h"
#include "core/edit/make.h"
#include "core/edit/mend.h"
#include "core/edit/object.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/spots.h"
#include "core/edit/still_camera.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/estimate/object.h"
#include "core/estimate/spot_depth.h"
#include "core/output/lens_files.h"
#include "core/output/straight_plates.h"
#include "core/shot/trackers.h"

namespace zentil::app {

ShotJobs::ShotJobs(Session* session, std::shared_ptr<comp::RenderCache> cache, QObject* parent)
    : QObject(parent), session_(session), cache_(std::move(cache)) {
  pool_.setMaxThreadCount(1);
  connect(session, &Session::shotChanged, this, [this] {
    if (found_ && !foundHolds()) dropFound();
  });
  connect(session, &Session::filesFollowed, this, &ShotJobs::dropFound);
  connect(session, &Session::documentReplaced, this, [this] {
    report_.clear(), features_.clear();
    dropFound();
    if (!job_) return;
    // Its answer would land in another document.
    job_->stop();
    job_.reset();
    session_->say(tr("%1 was stopped: it belonged to the shot that was open before.").arg(words_));
    emit changed();
  });
}

void ShotJobs::findSpot(const Vec2& pixel) {
  const auto shot = session_->snapshot();
  const int frame = session_->frame();
  run(tr("finding its depth"), [this, shot, frame, pixel](const Job& job) {
    const auto found = estimate::spotAt(*shot, frame, pixel, *cache_, job);
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
  const auto shot = session_->snapshot();
  const std::string id = spotId.toStdString();
  run(tr("finding its depth"), [this, shot, id, from](const Job& job) {
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

ShotJobs::~ShotJobs() {
  stop();
  pool_.waitForDone();
}

void ShotJobs::stop() {
  if (job_) job_->stop();
}

void ShotJobs::run(const QString& words, const std::function<std::function<void()>(const Job&)>& work) {
  if (job_) {
    session_->say(tr("Wait until %1, or stop it first.").arg(words_));
    return;
  }
  const auto job = std::make_shared<Job>();
  job_ = job;
  done_ = 0, words_ = words;
  clock_.start();
  emit changed();
  const QPointer<ShotJobs> self(this);
  const auto later = [](const std::function<void()>& f) { inInterface(f); };
  job->onProgress = [self, words, later](double done, const std::string& what) {
    later([self, words, done, what] {
      if (!self || !self->job_) return;
      self->done_ = done;
      self->words_ = words + " · " + QString::fromStdString(what);
      emit self->changed();
    });
  };
  inBackground(pool_, [self, job, work, later] {
    yieldToInterface();
    std::function<void()> apply;
    QString problem;
    try {
      apply = work(*job);
    } catch (const Stopped&) {
      problem = tr("Stopped.");
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    later([self, job, apply, problem] {
      if (!self || self->job_ != job) return;
      self->job_.reset();
      if (!problem.isEmpty())
        self->session_->say(problem);
      else if (apply)
        apply();
      emit self->changed();
    });
  });
}

void ShotJobs::calibrate(const QStringList& pictures) {
  std::vector<std::filesystem::path> files;
  for (const QString& p : pictures) files.emplace_back(p.toStdString());
  run(tr("calibrating from %n picture(s)", nullptr, static_cast<int>(pictures.size())), [this, files](const Job& job) {
    const auto answer = lens::calibrate(files, {}, job);
    return std::function<void()>([this, answer] {
      report_ = describe(answer);
      session_->change(tr("calibrate the lens"), [&](shot::Shot& s) { edit::takeBoards(s, answer); });
    });
  });
}

void ShotJobs::readStMaps(const lens::StMapFiles& files) {
  const int w = session_->shot().width, h = session_->shot().height;
  if (w < 1) {
    session_->say(tr("ST maps belong to a plate: open it first."));
    return;
  }
  run(tr("reading ST maps"), [this, files, w, h](const Job&) {
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
  const auto shot = session_->snapshot();
  run(tr("tracking"), [this, shot](const Job& job) {
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
  const auto shot = session_->snapshot();
  ways_ = ways;
  run(tr("following"), [this, shot, id, ways](const Job& job) {
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
  const auto shot = session_->snapshot();
  ways_ = ways;
  run(tr("following"), [this, shot, id, ways](const Job& job) {
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
  const auto shot = session_->snapshot();
  run(tr("refining"), [this, shot, id, frame](const Job&) {
    const auto region = estimate::refineRegion(*shot, id, frame, *cache_);
    return std::function<void()>([this, region] {
      session_->change(tr("refine %1").arg(QString::fromStdString(region.name)),
                       [&](shot::Shot& s) { edit::putRegion(s, region); });
    });
  });
}

void ShotJobs::findTurns() {
  const auto shot = session_->snapshot();
  run(tr("finding how it turns"), [this, shot](const Job& job) {
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
  const auto shot = session_->snapshot();
  run(tr("solving"), [this, shot](const Job& job) {
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
  session_->change(tr("hold the camera still"), [&](shot::Shot& s) { held = edit::holdStillCamera(s); });
  if (held.backdrop.empty()) return;
  session_->chooseThings({"surfaces." + held.backdrop});
  session_->say(
      tr("The camera is held still%1. The surface \"backdrop\" fills the frame: a fill on it from all frames is "
         "the clean plate.")
          .arg(held.assumed ? tr(" (%1 mm assumed)").arg(held.focalMm, 0, 'f', 0) : QString()),
      false);
}

void ShotJobs::solveObject() {
  const auto shot = session_->snapshot();
  run(tr("solving the object"), [this, shot](const Job& job) {
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

int ShotJobs::secondsLeft() const {
  const double spent = static_cast<double>(clock_.elapsed()) / 1000;
  return job_ && done_ > 0.03 ? static_cast<int>(std::ceil(spent / done_ * (1 - done_))) : 0;
}

void ShotJobs::preview(int frame) {
  if (job_ || session_->shot().plate().empty()) return;
  const auto shot = session_->snapshot();
  const auto cache = cache_;
  const QPointer<ShotJobs> self(this);
  inBackground(pool_, [self, shot, frame, cache] {
    yieldToInterface();
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

void ShotJobs::writeLens(const QString& folder) {
  const auto shot = session_->snapshot();
  const int frame = session_->frame();
  run(tr("writing maps"), [this, shot, frame, folder](const Job& job) {
    const auto files = output::writeLensFiles(*evaluate::ShotEvaluator::of(shot), shot->lens, frame,
                                              folder.toStdString(), output::Origin::Bottom, job);
    return std::function<void()>(
        [this, n = files.size(), folder] { session_->say(tr("%1 files written to %2").arg(n).arg(folder), false); });
  });
}

void ShotJobs::writeStraight(const QString& folder) {
  const auto shot = session_->snapshot();
  run(tr("writing straight plates"), [this, shot, folder](const Job& job) {
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
