#include "app/tasks/meter.h"

#include <QPointer>

#include "app/document/background.h"
#include "app/tasks/engine.h"
#include "core/base/parallel.h"
#include "core/comp/beyond.h"

namespace zentil::app {

Meter::Meter(Session* session, Engine* engine) : QObject(engine), session_(session), engine_(engine) {
  timer_.setSingleShot(true);
  timer_.setInterval(500);
  connect(&timer_, &QTimer::timeout, this, &Meter::start);
  for (const auto signal : {&Session::shotChanged, &Session::documentReplaced, &Session::filesFollowed})
    connect(session, signal, this, [this] { timer_.start(); });
  timer_.start();
}

Meter::~Meter() {
  if (job_) job_->stop();
}

const measure::Slip* Meter::slipOf(const QString& id) const {
  const auto it = slips_.find(id);
  return it == slips_.end() ? nullptr : &it->second;
}

const measure::BlendAt* Meter::blendOf(const QString& id) {
  const int frame = session_->frame();
  const Blend wanted{id, engine_->momentKey(frame), {}};
  if (blend_ == wanted && blend_.found) return &*blend_.found;
  // One at a time, and pictures that are waited for come first.
  if (blending_ || session_->draft() || engine_->making()) return nullptr;
  blending_ = true;
  const QPointer<Meter> self(this);
  inBackground(engine_->slowPool(),
               [self, wanted, id, frame, evaluator = session_->evaluator(), cache = engine_->sharedCache()] {
                 yieldToInterface();
                 measure::BlendAt found;
                 try {
                   found = measure::blendAt(*evaluator, id.toStdString(), frame, *cache);
                 } catch (const std::exception& e) {
                   found.why = e.what();
                 }
                 inInterface([self, wanted, found] {
                   if (!self) return;
                   self->blend_ = wanted, self->blend_.found = found, self->blending_ = false;
                   emit self->changed();
                 });
               });
  return nullptr;
}

void Meter::start() {
  // Pictures that are waited for come first.
  if (session_->draft() || engine_->making()) {
    timer_.start();
    return;
  }
  if (job_) job_->stop();
  const auto shot = session_->snapshot();
  const auto evaluator = session_->evaluator();
  std::erase_if(warnings_, [&](const auto& w) { return !shot->element(w.first.toStdString()); });
  std::erase_if(slips_, [&](const auto& w) { return !shot->element(w.first.toStdString()); });
  const bool carried = !shot->camera->empty() || !shot->regions.empty();
  if (shot->elements.empty() || !carried) {
    measuring_ = false;
    emit changed();
    return;
  }
  measuring_ = true;
  emit changed();
  const auto job = std::make_shared<Job>();
  job_ = job;
  const auto cache = engine_->sharedCache();
  const auto known = slipKeys_;
  const QPointer<Meter> self(this);
  inBackground(engine_->slowPool(), [self, shot, evaluator, job, cache, known] {
    yieldToInterface();
    const auto later = [](const std::function<void()>& f) { inInterface(f); };
    for (const auto& e : shot->elements) {
      if (job->stopped()) break;
      if (!e.on) continue;
      const QString id = QString::fromStdString(e.id);
      try {
        const uint64_t key = measure::slipKey(*evaluator, e.id);
        if (const auto it = known.find(id); it != known.end() && it->second == key) continue;
        const FrameRange range = e.range.count() ? overlap(e.range, shot->range) : shot->range;
        const auto words = QString::fromStdString(comp::wordsForUnseen(*evaluator, e.id, e.name, range, *cache, *job));
        const bool slips = isCarried(e.place);
        const auto slip = slips ? measure::slipOver(*evaluator, e.id, *cache, *job) : measure::Slip();
        later([self, id, key, words, slips, slip, job] {
          if (!self || job->stopped()) return;
          self->warnings_[id] = words;
          if (slips)
            self->slips_[id] = slip;
          else
            self->slips_.erase(id);
          self->slipKeys_[id] = key;
          emit self->changed();
        });
      } catch (const std::exception&) {
        // A frame that cannot be read is named where it is shown; the element then has no figure.
        later([self, id, job] {
          if (!self || job->stopped()) return;
          self->slips_.erase(id), self->slipKeys_.erase(id);
          emit self->changed();
        });
      }
    }
    later([self, job] {
      if (!self || self->job_ != job) return;
      self->measuring_ = false;
      emit self->changed();
    });
  });
}

}  // namespace zentil::app
