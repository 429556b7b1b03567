#include "app/document/session.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <QPointer>
#include <QSettings>
#include <QStandardPaths>
#include <QUuid>
#include <utility>

#include "app/document/background.h"
#include "app/document/looks.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/edit/new_shot.h"
#include "core/edit/set_word.h"
#include "core/edit/things.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/shot_json.h"

namespace zentil::app {

Session::Session(QObject* parent) : QObject(parent), looks_(new Looks(this)) {
  // Edits are in the autosave within five seconds: a crash costs no more.
  autosave_.setInterval(4000);
  connect(&autosave_, &QTimer::timeout, this, &Session::autosaveNow);
  autosave_.start();
  autosaving_.setMaxThreadCount(1);
  // Several windows keep several untitled shots; one that no window holds any more was left by a crash.
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation);
  QDir().mkpath(folder);
  untitled_ = folder + "/untitled-" + QUuid::createUuid().toString(QUuid::Id128) + ".zentil.autosave";
  untitledInUse_ = std::make_unique<QLockFile>(untitled_ + ".lock");
  untitledInUse_->setStaleLockTime(0);
  untitledInUse_->tryLock(0);
  lookForUntitled();
}

void Session::lookForUntitled() {
  const QFileInfo own(untitled_);
  for (const QFileInfo& left :
       QDir(own.absolutePath()).entryInfoList({"untitled-*.zentil.autosave"}, QDir::Files | QDir::Hidden, QDir::Time)) {
    QLockFile inUse(left.filePath() + ".lock");
    inUse.setStaleLockTime(0);
    if (left.fileName() == own.fileName() || !inUse.tryLock(0)) continue;
    recoverable_ = left.filePath();
    return;
  }
}

Session::~Session() {
  autosaving_.waitForDone();
  if (!isModified()) QFile::remove(untitled_);
}

std::shared_ptr<const shot::Shot> Session::snapshot() const {
  if (!snapshot_) snapshot_ = std::make_shared<const shot::Shot>(shot());
  return snapshot_;
}

evaluate::ShotEvaluatorPtr Session::evaluator() const {
  if (!evaluator_) evaluator_ = evaluate::ShotEvaluator::of(snapshot());
  return evaluator_;
}

void Session::filesChanged() {
  evaluator_.reset();
  emit filesFollowed();
}

void Session::afterEdit() {
  snapshot_.reset();
  evaluator_.reset();
  const auto& s = shot();
  if (!surface_.isEmpty() && !s.surface(surface_.toStdString())) surface_.clear();
  if (!spot_.isEmpty() && !s.spot(spot_.toStdString())) spot_.clear();
  if (!line_.isEmpty() && !edit::isThere(s, "lines." + line_.toStdString())) line_.clear();
  if (!element_.isEmpty() && !s.element(element_.toStdString())) element_.clear();
  std::erase_if(also_, [&](const std::string& t) { return !edit::isThere(s, t); });
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
    edit::followNames(shot(), next);
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

void Session::replace(const shot::Shot& shot, const QString& file, evaluate::ShotEvaluatorPtr evaluator) {
  if (!history_.shot().plates.empty()) recoverable_.clear();
  history_ = shot::History(shot);
  autosavedRevision_ = history_.revision();
  holdAsSaved();
  file_ = file;
  savedAs_ = file.isEmpty() ? Stamp() : stampOf(file.toStdString());
  saidAutosave_ = false;
  points_.clear();
  surface_.clear(), spot_.clear(), matte_.clear(), part_.clear(), also_.clear();
  element_ = shot.elements.empty() ? QString() : QString::fromStdString(shot.elements.front().id);
  snapshot_.reset();
  evaluator_ = std::move(evaluator);
  frame_ = shot.range.count() ? shot.range.first : 1;
  emit documentReplaced();
  emit shotChanged();
  emit frameChanged(frame_);
  // In an event of its own: what is chosen is unfolded, which takes a while.
  QTimer::singleShot(0, this, &Session::chosenChanged);
}

void Session::holdAsSaved() {
  saved_ = shot();
  unsaved_ = false;
  modified_.first = ~0U;
}

bool Session::isModified() const {
  if (modified_.first != history_.revision()) modified_ = {history_.revision(), unsaved_ || !(saved_ == shot())};
  return modified_.second;
}

Session::Opened Session::read(const QString& file) {
  Opened out;
  out.file = QFileInfo(file).absoluteFilePath();
  const QFileInfo saved(autosaveOf(out.file));
  try {
    out.shot = std::make_shared<shot::Shot>(shot::load(out.file.toStdString()));
  } catch (const std::exception& e) {
    out.problem = QString::fromStdString(e.what());
    // A shot that is damaged may have left its edits beside it.
    if (saved.exists()) out.recoverable = saved.filePath();
    return out;
  }
  // What is looked at first is ready when the window asks for it.
  try {
    out.evaluator = evaluate::ShotEvaluator::of(out.shot);
    if (out.shot->hasPlate()) out.evaluator->at(out.shot->range.first);
  } catch (const std::exception&) {
    // The window says so where it shows that frame.
  }
  if (saved.exists() && saved.lastModified() >= QFileInfo(out.file).lastModified()) {
    try {
      if (!(shot::load(saved.filePath().toStdString()) == *out.shot)) out.recoverable = saved.filePath();
    } catch (const std::exception&) {
      // A half-written autosave cannot exist (it is named when complete); a damaged one is of no use.
    }
  }
  return out;
}

bool Session::take(const Opened& opened) {
  if (!opened.shot) {
    say(opened.problem);
    if (!opened.recoverable.isEmpty()) {
      recoverable_ = opened.recoverable, damaged_ = opened.file;
      emit recoveryChanged();
    }
    return false;
  }
  // What is offered belongs to what was open before: the window must not show it beside this shot.
  recoverable_.clear(), damaged_.clear();
  replace(*opened.shot, opened.file, opened.evaluator);
  remember(opened.file);
  if (!shot().notes.empty())
    say(tr("Opened, but: %1%2")
            .arg(QString::fromStdString(shot().notes.front()))
            .arg(shot().notes.size() > 1 ? tr(" (and %1 more)").arg(shot().notes.size() - 1) : QString()));
  if (!opened.recoverable.isEmpty()) {
    recoverable_ = opened.recoverable;
    emit recoveryChanged();
  }
  return true;
}

bool Session::changedBeneath() const {
  if (file_.isEmpty()) return false;
  const Stamp now = stampOf(file_.toStdString());
  return now.inode != 0 && !(now == savedAs_);
}

bool Session::saveTo(const QString& file, bool over) {
  const QString full = QFileInfo(file).absoluteFilePath();
  // A shot that had no file delivers beside the one that it gets.
  if (file_.isEmpty())
    if (shot::Shot next = shot(); edit::deliverBeside(next, full.toStdString()))
      change(tr("deliver beside the shot"), [&](shot::Shot& s) { s.delivery.pattern = next.delivery.pattern; });
  try {
    const shot::Lock lock(full.toStdString());
    if (!over && full == file_ && changedBeneath()) {
      say(tr("%1 was written to by something else since it was opened here: it was not saved.")
              .arg(QFileInfo(full).fileName()));
      return false;
    }
    shot::save(shot(), full.toStdString());
    savedAs_ = stampOf(full.toStdString());
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
    return false;
  }
  dropAutosave();
  file_ = full;
  dropAutosave();
  autosavedRevision_ = history_.revision();
  holdAsSaved();
  remember(full);
  emit fileChanged();
  return true;
}

QString Session::autosaveOf(const QString& file) {
  return QFileInfo(file).absolutePath() + "/." + QFileInfo(file).fileName() + ".autosave";
}

QString Session::autosave() const { return file_.isEmpty() ? untitled_ : autosaveOf(file_); }

void Session::dropAutosave() {
  // One that is being written would land after this.
  autosaving_.clear();
  autosaving_.waitForDone();
  QFile::remove(autosave());
}

void Session::autosaveNow() {
  if (!isModified() || autosavedRevision_ == history_.revision()) return;
  autosavedRevision_ = history_.revision();
  const std::string name = autosave().toStdString();
  const auto value = snapshot();
  const QPointer<Session> self(this);
  // Writing waits for the disk, so not here.
  inBackground(autosaving_, [name, value, self] {
    try {
      shot::save(*value, name);
    } catch (const std::exception& e) {
      const QString why = QString::fromStdString(e.what());
      inInterface([self, why] {
        if (!self || self->saidAutosave_) return;
        self->saidAutosave_ = true;
        self->say(tr("Edits are not kept safe until they are saved: %1").arg(why));
      });
    }
  });
}

void Session::recover() {
  if (recoverable_.isEmpty()) return;
  try {
    takeRecovered(shot::load(recoverable_.toStdString()));
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
    emit recoveryChanged();
  }
}

void Session::takeRecovered(const shot::Shot& found) {
  try {
    const QString from = recoverable_;
    recoverable_.clear();
    if (!damaged_.isEmpty()) {
      // It is another document than the one that is open.
      replace(found, std::exchange(damaged_, {}));
      unsaved_ = true;
      modified_.first = ~0U;
      emit shotChanged();
      emit recoveryChanged();
      return;
    }
    edit(found, tr("recover unsaved edits"));
    // What a crash left of another shot is this one's now.
    if (from != autosave()) {
      autosaveNow();
      autosaving_.waitForDone();
      if (QFileInfo::exists(autosave())) QFile::remove(from);
    }
  } catch (const std::exception& e) {
    say(QString::fromStdString(e.what()));
  }
  emit recoveryChanged();
}

void Session::forgetRecovery() {
  QFile::remove(recoverable_);
  recoverable_.clear(), damaged_.clear();
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

namespace {
QString allowanceOf(const QString& file, const QString& pattern) {
  return file + "\n" + QFileInfo(pattern).absolutePath();
}
}  // namespace

bool Session::mayDeliverTo(const QString& pattern) const {
  return QSettings().value("deliverTo").toStringList().contains(allowanceOf(file_, pattern));
}

void Session::allowDelivery(const QString& pattern) {
  QSettings settings;
  QStringList list = settings.value("deliverTo").toStringList();
  list.removeAll(allowanceOf(file_, pattern));
  list.prepend(allowanceOf(file_, pattern));
  while (list.size() > 200) list.removeLast();
  settings.setValue("deliverTo", list);
}

QStringList Session::recent() const {
  QStringList out;
  for (const QString& f : QSettings().value("recent").toStringList())
    if (QFileInfo::exists(f)) out << f;
  return out;
}

}  // namespace zentil::app
