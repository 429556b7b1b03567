#include "app/tasks/delivery.h"

#include <QPointer>
#include <cmath>

#include "app/document/background.h"
#include "app/tasks/engine.h"
#include "core/base/parallel.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/output/deliver.h"

namespace zentil::app {

Delivery::Delivery(Session* session, Engine* engine) : QObject(engine), session_(session), engine_(engine) {
  countTimer_.setSingleShot(true);
  countTimer_.setInterval(700);
  connect(&countTimer_, &QTimer::timeout, this, &Delivery::count);
  for (const auto signal : {&Session::shotChanged, &Session::documentReplaced, &Session::filesFollowed})
    connect(session, signal, this, [this] { countTimer_.start(); });
  countTimer_.start();
}

Delivery::~Delivery() {
  if (job_) job_->stop();
}

void Delivery::start(bool overwrite) {
  if (job_) return;
  const auto job = std::make_shared<Job>();
  job_ = job;
  clock_.start();
  done_ = 0;
  words_ = tr("starting");
  emit changed();
  const auto shot = session_->snapshot();
  const auto cache = engine_->sharedCache();
  const QPointer<Delivery> self(this);
  job->onProgress = [self](double done, const std::string& what) {
    const QString words = QString::fromStdString(what);
    inInterface([self, done, words] {
      if (!self || !self->job_) return;
      self->done_ = done;
      const double spent = static_cast<double>(self->clock_.elapsed()) / 1000;
      const int left = done > 0.02 ? static_cast<int>(std::ceil(spent / done * (1 - done))) : -1;
      self->words_ = left >= 0 ? tr("%1 · %2 s left").arg(words).arg(left) : words;
      emit self->changed();
    });
  };
  output::DeliveryWish wish{overwrite, false, {}};
  if (!session_->file().isEmpty() && !session_->mayDeliverTo(QString::fromStdString(shot->delivery.pattern)))
    wish.within = std::filesystem::path(session_->file().toStdString()).parent_path();
  inBackground(engine_->slowPool(), [self, shot, job, cache, wish] {
    yieldToInterface();
    QString words;
    bool complete = false, othersThere = false, leaves = false;
    try {
      std::vector<int> frames;
      for (int f = shot->range.first; f <= shot->range.last; ++f) frames.push_back(f);
      const auto report = output::deliver(*evaluate::ShotEvaluator::of(shot), frames, *cache, *job, wish);
      complete = !report.stopped && report.refused.empty();
      words =
          report.stopped
              ? tr("Stopped after %1 frames; deliver again to continue").arg(report.written.size() + report.kept.size())
              : tr("%1 frames delivered, %2 were up to date").arg(report.written.size()).arg(report.kept.size());
      for (const auto& r : report.refused)
        words += tr("; frames %1 were refused: %2")
                     .arg(QString::fromStdString(describeFrames(r.frames)), QString::fromStdString(r.why));
    } catch (const output::Elsewhere& e) {
      words = QString::fromStdString(e.problem());
      leaves = true;
    } catch (const image::NotOurs& e) {
      words = QString::fromStdString(e.problem());
      othersThere = true;
    } catch (const std::exception& e) {
      words = QString::fromStdString(e.what());
    }
    inInterface([self, complete, words, othersThere, leaves, overwrite = wish.overwrite] {
      if (!self) return;
      self->job_.reset();
      self->words_ = words;
      emit self->changed();
      if (leaves) {
        emit self->wouldLeave(words, overwrite);
        return;
      }
      if (othersThere) {
        emit self->wouldReplace(words);
        return;
      }
      emit self->ended(complete, words);
      self->count();
    });
  });
}

void Delivery::stop() {
  if (job_) job_->stop();
}

void Delivery::count() {
  if (session_->shot().plate().empty() || running()) return;
  const unsigned generation = ++generation_;
  const auto shot = session_->snapshot();
  const QPointer<Delivery> self(this);
  inBackground(engine_->slowPool(), [self, shot, generation] {
    yieldToInterface();
    int n = 0;
    const auto evaluator = evaluate::ShotEvaluator::of(shot);
    for (int f = shot->range.first; f <= shot->range.last; ++f) try {
        n += output::isUpToDate(*evaluator, f);
      } catch (const std::exception&) {
        // What cannot be made is not up to date.
      }
    inInterface([self, n, generation] {
      if (self && generation == self->generation_) self->setCount(n);
    });
  });
}

void Delivery::setCount(int n) {
  upToDate_ = n;
  emit changed();
}

}  // namespace zentil::app
