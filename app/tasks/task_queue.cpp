#include "app/tasks/task_queue.h"

#include <QPointer>
#include <cmath>

#include "app/document/background.h"
#include "core/base/error.h"
#include "core/base/parallel.h"

namespace zentil::app {

TaskQueue::TaskQueue(Session* session, bool ofPlate) : session_(session), ofPlate_(ofPlate) {
  pool_.setMaxThreadCount(1);
  connect(session, &Session::documentReplaced, this, [this] {
    // What waits behind a shot that was opened here is meant for that.
    if (applying_) return;
    waiting_.clear();
    if (!job_) return;
    // Its answer would land in another document.
    job_->stop();
    job_.reset();
    session_->say(tr("%1 was stopped: it belonged to the shot that was open before.").arg(words_));
    emit changed();
  });
}

TaskQueue::~TaskQueue() {
  waiting_.clear();
  stop();
  pool_.waitForDone();
}

void TaskQueue::stop() {
  if (job_) job_->stop();
}

QStringList TaskQueue::waiting() const {
  QStringList out;
  for (const auto& w : waiting_) out << w.name;
  return out;
}

bool TaskQueue::waits(const QString& name, std::function<void()> again, bool severalAlike) {
  if (!job_) return false;
  if (!severalAlike && (name == name_ || waiting().contains(name))) {
    session_->say(tr("%1 is already running or waiting.").arg(name));
    return true;
  }
  waiting_.push_back({name, std::move(again)});
  if (!severalAlike) session_->say(tr("%1 waits until %2 is done.").arg(name, name_), false);
  emit changed();
  return true;
}

void TaskQueue::start(const QString& name, const Work& work) {
  const auto job = std::make_shared<Job>();
  job_ = job;
  done_ = 0, name_ = words_ = name;
  clock_.start();
  emit changed();
  const QPointer<TaskQueue> self(this);
  job->onProgress = [self, name, job = job.get()](double done, const std::string& what) {
    inInterface([self, name, job, done, what] {
      if (!self || self->job_.get() != job) return;
      self->done_ = done;
      self->words_ = name + " · " + QString::fromStdString(what);
      emit self->changed();
    });
  };
  inBackground(pool_, [self, job, work, plate = session_->shot().worked()] {
    yieldToInterface();
    Apply apply;
    QString problem;
    try {
      apply = work(*job);
    } catch (const Stopped&) {
      problem = tr("Stopped.");
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    inInterface([self, job, plate, apply, problem] {
      if (self) self->finish(job, plate, apply, problem);
    });
  });
}

void TaskQueue::finish(const std::shared_ptr<Job>& job, const shot::PlateUse& plate, const Apply& apply,
                       const QString& problem) {
  if (job_ != job) return;
  job_.reset();
  const auto& now = session_->shot().worked();
  const bool samePlate = now.files.pattern == plate.files.pattern && now.files.width == plate.files.width &&
                         now.files.height == plate.files.height && now.shift == plate.shift &&
                         now.files.fields == plate.files.fields;
  if (!problem.isEmpty())
    session_->say(problem);
  else if (ofPlate_ && !samePlate)
    session_->say(tr("%1 was dropped: the shot has another plate now. Ask for it again.").arg(name_));
  else if (apply) {
    applying_ = true;
    apply();
    applying_ = false;
  }
  next();
  emit changed();
}

void TaskQueue::next() {
  // One that comes to nothing makes way for the one behind it.
  while (!job_ && !waiting_.empty()) {
    const auto again = std::move(waiting_.front().again);
    waiting_.pop_front();
    again();
  }
}

void TaskQueue::aside(std::function<void()> work) {
  inBackground(pool_, [work = std::move(work)] {
    yieldToInterface();
    work();
  });
}

int TaskQueue::secondsLeft() const {
  const double spent = static_cast<double>(clock_.elapsed()) / 1000;
  return job_ && done_ > 0.03 ? static_cast<int>(std::ceil(spent / done_ * (1 - done_))) : 0;
}

}  // namespace zentil::app
