#include "app/session.h"

#include <QDir>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>
#include <QThreadPool>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/shot/shot_json.h"

namespace zentil::app {

Session::Session(QObject* parent) : QObject(parent) {
  // Edits are in the autosave within five seconds: a crash costs no more.
  autosave_.setInterval(4000);
  connect(&autosave_, &QTimer::timeout, this, &Session::autosaveNow);
  autosave_.start();
}

Session::~Session() = default;

std::shared_ptr<const shot::Shot> Session::snapshot() const {
  if (!snapshot_) snapshot_ = std::make_shared<const shot::Shot>(shot());
  return snapshot_;
}

moment::TimelinePtr Session::timeline() const {
  if (!timeline_) timeline_ = moment::Timeline::of(snapshot());
  return timeline_;
}

void Session::filesChanged() {
  timeline_.reset();
  emit filesFollowed();
}

void Session::afterEdit() {
  snapshot_.reset();
  timeline_.reset();
  const auto& s = shot();
  if (!surface_.isEmpty() && !s.surface(surface_.toStdString())) surface_.clear();
  if (!element_.isEmpty() && !s.element(element_.toStdString())) element_.clear();
  std::erase_if(points_, [&](int i) { return i >= static_cast<int>(s.points->size()); });
  emit shotChanged();
  if (!s.range.contains(frame_) && s.range.count()) setFrame(std::clamp(frame_, s.range.first, s.range.last));
}

void Session::edit(const shot::Shot& next, const QString& what, const QString& series) {
  const unsigned before = history_.revision();
  history_.edit(next, what.toStdString(), series.toStdString());
  if (history_.revision() != before) afterEdit();
}

void Session::change(const QString& what, const std::function<void(shot::Shot&)>& change, const QString& series) {
  shot::Shot next = shot();
  try {
    change(next);
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
    return;
  }
  edit(next, what, series);
}

void Session::undo() {
  if (!history_.canUndo()) return;
  history_.undo();
  afterEdit();
}

void Session::redo() {
  if (!history_.canRedo()) return;
  history_.redo();
  afterEdit();
}

void Session::replace(const shot::Shot& shot, const QString& file) {
  history_ = shot::History(shot);
  savedRevision_ = autosavedRevision_ = history_.revision();
  file_ = file;
  recoverable_.clear();
  points_.clear();
  surface_.clear(), matte_.clear(), part_.clear();
  element_ = shot.elements.empty() ? QString() : QString::fromStdString(shot.elements.front().id);
  snapshot_.reset();
  timeline_.reset();
  frame_ = shot.range.count() ? shot.range.first : 1;
  emit documentReplaced();
  emit shotChanged();
  emit frameChanged(frame_);
  emit chosenChanged();
}

bool Session::open(const QString& file) {
  const QString full = QFileInfo(file).absoluteFilePath();
  try {
    replace(shot::load(full.toStdString()), full);
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
    return false;
  }
  remember(full);
  if (!shot().notes.empty())
    say(tr("Opened, but: %1%2")
            .arg(QString::fromStdString(shot().notes.front()))
            .arg(shot().notes.size() > 1 ? tr(" (and %1 more)").arg(shot().notes.size() - 1) : QString()));
  const QFileInfo saved(autosaveOf(full));
  if (saved.exists() && saved.lastModified() >= QFileInfo(full).lastModified()) {
    try {
      if (!(shot::load(saved.filePath().toStdString()) == shot())) {
        recoverable_ = saved.filePath();
        emit recoveryChanged();
      }
    } catch (const std::exception&) {
      // A half-written autosave cannot exist (it is named when complete); a damaged one is of no use.
    }
  }
  return true;
}

bool Session::saveTo(const QString& file) {
  const QString full = QFileInfo(file).absoluteFilePath();
  try {
    shot::save(shot(), full.toStdString());
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
    return false;
  }
  QFile::remove(autosaveOf(file_));
  file_ = full;
  QFile::remove(autosaveOf(file_));
  savedRevision_ = autosavedRevision_ = history_.revision();
  remember(full);
  emit fileChanged();
  return true;
}

QString Session::autosaveOf(const QString& file) {
  if (!file.isEmpty()) return QFileInfo(file).absolutePath() + "/." + QFileInfo(file).fileName() + ".autosave";
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation);
  QDir().mkpath(folder);
  return folder + "/untitled.zentil.autosave";
}

void Session::autosaveNow() {
  if (!isModified() || autosavedRevision_ == history_.revision()) return;
  autosavedRevision_ = history_.revision();
  const std::string name = autosaveOf(file_).toStdString();
  const auto value = snapshot();
  // Writing waits for the disk, so not here.
  QThreadPool::globalInstance()->start([name, value] {
    try {
      shot::save(*value, name);
    } catch (const std::exception&) {
      // A folder that may not be written to: saving under another name says so when it matters.
    }
  });
}

void Session::recover() {
  if (recoverable_.isEmpty()) return;
  try {
    const shot::Shot found = shot::load(recoverable_.toStdString());
    recoverable_.clear();
    edit(found, tr("recover unsaved edits"));
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
  }
  emit recoveryChanged();
}

void Session::forgetRecovery() {
  QFile::remove(recoverable_);
  recoverable_.clear();
  emit recoveryChanged();
}

void Session::remember(const QString& file) {
  QSettings settings;
  QStringList list = settings.value("recent").toStringList();
  list.removeAll(file);
  list.prepend(file);
  while (list.size() > 12) list.removeLast();
  settings.setValue("recent", list);
}

QStringList Session::recent() const {
  QStringList out;
  for (const QString& f : QSettings().value("recent").toStringList())
    if (QFileInfo::exists(f)) out << f;
  return out;
}

void Session::setFrame(int frame) {
  const auto r = shot().range;
  if (r.count()) frame = std::clamp(frame, r.first, r.last);
  if (frame == frame_) return;
  frame_ = frame;
  emit frameChanged(frame);
}

void Session::setStation(Station s) {
  if (s == station_) return;
  station_ = s;
  setTool(Tool::Pick);
  emit stationChanged();
}

void Session::setTool(Tool t) {
  if (t == tool_) return;
  tool_ = t;
  emit toolChanged();
}

void Session::setView(const View& v) {
  if (v == view_) return;
  view_ = v;
  emit viewChanged();
}

void Session::setViewing(Viewing v) {
  if (v == viewing_) return;
  viewing_ = v;
  emit viewChanged();
}

void Session::setDraft(bool on) {
  if (on == draft_) return;
  draft_ = on;
  emit viewChanged();
}

void Session::choosePoints(std::set<int> points) {
  if (points == points_) return;
  points_ = std::move(points);
  emit chosenChanged();
}

void Session::chooseSurface(const QString& id) {
  if (id == surface_) return;
  surface_ = id;
  emit chosenChanged();
}

void Session::chooseTracker(int id) {
  if (id == tracker_) return;
  tracker_ = id;
  emit chosenChanged();
}

void Session::chooseRegion(int id) {
  if (id == region_) return;
  region_ = id;
  emit chosenChanged();
}

void Session::chooseMatte(const QString& matte, const QString& part) {
  if (matte == matte_ && part == part_) return;
  matte_ = matte, part_ = part;
  emit chosenChanged();
}

void Session::chooseElement(const QString& id) {
  if (id == element_) return;
  element_ = id;
  matte_.clear(), part_.clear();
  emit chosenChanged();
}

}  // namespace zentil::app
