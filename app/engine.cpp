#include "app/engine.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <cmath>

#include "app/background.h"
#include "app/looks.h"
#include "app/shown_picture.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/comp/render.h"
#include "core/comp/straight.h"
#include "core/image/crop.h"
#include "core/output/deliver.h"
#include "core/steady/fill.h"

namespace zentil::app {
namespace {

struct Made {
  QImage image;
  QString problem;
  std::shared_ptr<image::Picture> floats;
};

/// How the picture is looked at; null: as shot, or without its lens alone.
struct Looked {
  std::shared_ptr<const steady::Look> look;
  bool filled = false;  ///< what is beyond the plate is taken from other frames
};

Made make(const moment::Timeline& timeline, int frame, Layer layer, const View& view, const Looked& looked, bool draft,
          comp::Workshop& workshop) {
  const auto& look = looked.look;
  Made out;
  try {
    const moment::Moment moment = timeline.at(frame);
    comp::BuildOptions options;
    options.filter = draft ? map::Filter::Draft : map::Filter::Sharp;
    options.elements = layer != Layer::Plate;
    // The alpha that is looked at is the elements' own: the plate has none.
    image::Picture p = view.channel == Channel::Alpha && layer != Layer::Plate
                           ? comp::buildAdded(moment, workshop, options.filter)
                           : comp::buildFrame(moment, workshop, options);
    p = image::over(p, moment.frameBox());
    if (layer == Layer::Difference) {
      const image::Picture plate = image::over(workshop.frame(*moment.plate)->picture, moment.frameBox());
      for (size_t i = 0; i < p.values.size(); ++i)
        if (i % 4 != 3) p.values[i] = std::abs(p.values[i] - plate.values[i]) * static_cast<float>(view.differenceGain);
    }
    if (layer == Layer::Built && !view.straight && !look) out.floats = std::make_shared<image::Picture>(p);
    if (look && looked.filled && layer == Layer::Built && view.channel != Channel::Alpha)
      p = steady::fill(timeline, frame, *look, moment.frameBox(), workshop, options.filter).picture;
    else if (look)
      p = look->of(p, options.filter);
    else if (view.straight && !moment.here->lens.lens.isStraight())
      p = comp::straightened(
          p, *moment.here, lens::straightBox(moment.here->lens, moment.frameBox().width(), moment.frameBox().height()),
          options.filter);
    out.image = shownPicture(p, view);
    out.image.setOffset(QPoint(p.data.x0, p.data.y0));
  } catch (const std::exception& e) {
    out.problem = QString::fromStdString(e.what());
  }
  return out;
}

uint64_t keyAt(const moment::Timeline& timeline, int frame) {
  try {
    return timeline.at(frame).key;
  } catch (const std::exception& e) {
    return hashOf(e.what());  // making it says so
  }
}

}  // namespace

Engine::Engine(Session* session, size_t budgetBytes, QObject* parent)
    : QObject(parent),
      session_(session),
      workshop_(std::make_shared<comp::Workshop>(budgetBytes / 10 * 7)),
      imageBudget_(budgetBytes / 10 * 3),
      jobs_(new ShotJobs(session, workshop_, this)) {
  makeWorkersYield();
  image::useCallingThreadOnly();
  pool_.setMaxThreadCount(std::max(2, QThread::idealThreadCount()));
  pool_.setExpiryTimeout(-1);
  slowPool_.setMaxThreadCount(3);
  measureTimer_.setSingleShot(true);
  measureTimer_.setInterval(500);
  connect(&measureTimer_, &QTimer::timeout, this, &Engine::startMeasuring);
  countTimer_.setSingleShot(true);
  countTimer_.setInterval(700);
  connect(&countTimer_, &QTimer::timeout, this, &Engine::countDelivered);
  connect(session, &Session::shotChanged, this, &Engine::refreshKeys);
  connect(session, &Session::documentReplaced, this, [this] {
    latest_.clear();  // of another shot
    refreshKeys();
  });
  connect(session, &Session::filesFollowed, this, &Engine::refreshKeys);
  scanTimer_.setSingleShot(true);
  connect(&scanTimer_, &QTimer::timeout, this, &Engine::scanFiles);
  connect(session, &Session::viewChanged, this, [this] { wanted_.clear(); });
  refreshKeys();
}

Engine::~Engine() {
  if (measureJob_) measureJob_->stop();
  if (deliveryJob_) deliveryJob_->stop();
  wanted_.clear();
  pool_.waitForDone();
  slowPool_.waitForDone();
}

void Engine::setBudget(size_t bytes) {
  workshop_->setBudget(bytes / 10 * 7);
  imageBudget_ = bytes / 10 * 3;
}

size_t Engine::bytesHeld() const { return workshop_->bytes() + imageBytes_; }

void Engine::refreshKeys() {
  ++edits_;
  momentKeys_.clear();
  wanted_.clear();
  problems_.clear();
  if (upToDate_ >= 0 && floats_ && momentKey(floatsKey_.frame) != floatsKey_.moment) upToDate_ = -1;
  measureTimer_.start();
  countTimer_.start();
  scanTimer_.start(60);
}

uint64_t Engine::momentKey(int frame) const {
  const auto it = momentKeys_.find(frame);
  if (it != momentKeys_.end()) return it->second;
  return momentKeys_[frame] = keyAt(*session_->timeline(), frame);
}

void Engine::scanFiles() {
  if (scanning_ || !session_->shot().hasPlate()) return;
  if (session_->draft()) {
    scanTimer_.start(500);
    return;
  }
  scanning_ = true;
  const auto timeline = moment::Timeline::of(session_->snapshot());
  const unsigned edits = edits_;
  const QPointer<Engine> self(this);
  inBackground(slowPool_, [self, timeline, edits] {
    yieldToInterface();
    QElapsedTimer clock;
    clock.start();
    std::unordered_map<int, uint64_t> keys;
    const FrameRange r = timeline->range();
    for (int f = r.first; f <= r.last; ++f) keys[f] = keyAt(*timeline, f);
    // Looking takes a twentieth of the time at the most.
    const int next = std::max(1000, static_cast<int>(clock.elapsed()) * 20);
    inInterface([self, keys, edits, next] {
      if (!self) return;
      self->scanning_ = false;
      self->scanTimer_.start(edits == self->edits_ ? next : 60);
      if (edits != self->edits_) return;
      for (const auto& [f, key] : self->momentKeys_)
        if (const auto it = keys.find(f); it != keys.end() && it->second != key) {
          self->session_->filesChanged();
          return;
        }
      const bool more = keys.size() > self->momentKeys_.size();
      self->momentKeys_ = keys;
      if (more) emit self->ready(self->session_->frame());
    });
  });
}

bool Engine::filled() const {
  const auto& shot = session_->shot();
  return session_->view().steady && shot.steady.fills() && shot.projection == shot::Projection::Camera;
}

Engine::Key Engine::keyOf(int frame, Layer layer) const {
  const View& v = session_->view();
  const auto bits = [](double d) {
    uint64_t b;
    memcpy(&b, &d, 8);
    return b;
  };
  uint64_t h = hashOf(static_cast<uint64_t>(layer) | static_cast<uint64_t>(v.channel) << 8 |
                          static_cast<uint64_t>(v.straight) << 16 | static_cast<uint64_t>(session_->draft()) << 17,
                      7);
  h = hashOf(bits(v.exposure), hashOf(bits(v.gamma), h));
  if (const auto look = session_->looks().at(frame)) h = hashOf(look->key(), h);
  // What fills the edges is of other frames.
  if (filled()) h = hashOf(uint64_t{session_->history().revision()}, h);
  if (layer == Layer::Difference) h = hashOf(bits(v.differenceGain), h);
  return {momentKey(frame), h, frame};
}

bool Engine::hasImage(int frame, Layer layer) const {
  // A frame whose key is not known yet is not worth waiting for.
  if (frame != session_->frame() && !momentKeys_.count(frame)) return false;
  return images_.count(keyOf(frame, layer)) != 0;
}

QImage Engine::image(int frame, Layer layer, bool urgent) {
  const Key key = keyOf(frame, layer);
  if (const auto it = images_.find(key); it != images_.end()) {
    order_.splice(order_.begin(), order_, it->second.place);
    latest_[static_cast<int>(layer)] = it->second.image;
    origin_ = it->second.image.offset();
    // The numbers under the pointer want floats: made again quietly when only the image was kept.
    return it->second.image;
  }
  if (problems_.contains(frame)) return {};
  startMaking(key, frame, layer, urgent);
  return {};
}

void Engine::lookAhead(const std::vector<int>& frames, Layer layer) {
  wanted_.clear();
  for (const int f : frames)
    if (!images_.count(keyOf(f, layer)) && !problems_.contains(f)) wanted_.push_back({keyOf(f, layer), f, layer});
  pump();
}

void Engine::startMaking(const Key& key, int frame, Layer layer, bool urgent) {
  if (making_.count(key)) return;
  std::erase_if(wanted_, [&](const Wanted& w) { return w.key == key; });
  if (urgent)
    wanted_.push_front({key, frame, layer});
  else
    wanted_.push_back({key, frame, layer});
  pump();
}

void Engine::pump() {
  while (!wanted_.empty() && static_cast<int>(making_.size()) < pool_.maxThreadCount()) {
    const Wanted w = wanted_.front();
    wanted_.pop_front();
    if (making_.count(w.key) || images_.count(w.key)) continue;
    making_[w.key] = true;
    const auto timeline = session_->timeline();
    const View view = session_->view();
    const Looked look{session_->looks().at(w.frame), filled()};
    const bool draft = session_->draft();
    const auto workshop = workshop_;
    const QPointer<Engine> self(this);
    inBackground(pool_, [self, w, timeline, view, look, draft, workshop] {
      thread_local const bool yielded = (yieldToInterface(), true);
      (void)yielded;
      const Made made = make(*timeline, w.frame, w.layer, view, look, draft, *workshop);
      inInterface([self, w, made] {
        if (self) self->finished(w.key, w.frame, w.layer, made.image, made.problem, made.floats);
      });
    });
  }
}

void Engine::finished(const Key& key, int frame, Layer layer, const QImage& image, const QString& problem,
                      const std::shared_ptr<image::Picture>& floats) {
  making_.erase(key);
  if (!problem.isEmpty()) {
    if (key.moment == momentKey(frame) && problems_.value(frame) != problem) {
      problems_[frame] = problem;
      if (frame == session_->frame()) session_->say(problem);
    }
  } else if (!image.isNull()) {
    order_.push_front(key);
    images_[key] = {image, order_.begin()};
    imageBytes_ += static_cast<size_t>(image.sizeInBytes());
    while (imageBytes_ > imageBudget_ && order_.size() > 1) {
      const auto it = images_.find(order_.back());
      imageBytes_ -= static_cast<size_t>(it->second.image.sizeInBytes());
      images_.erase(it);
      order_.pop_back();
    }
    if (floats && layer == Layer::Built && frame == session_->frame()) floats_ = floats, floatsKey_ = key;
  }
  pump();
  emit ready(frame);
}

bool Engine::valueAt(int frame, const Vec2& plate, float (&rgba)[4]) const {
  if (!floats_ || floatsKey_.frame != frame || floatsKey_.moment != momentKey(frame)) return false;
  const int x = static_cast<int>(std::floor(plate.x())), y = static_cast<int>(std::floor(plate.y()));
  if (!floats_->data.contains(x, y)) return false;
  std::copy_n(floats_->pixel(x, y), 4, rgba);
  return true;
}

const measure::Slip* Engine::slipOf(const QString& id) const {
  const auto it = slips_.find(id);
  return it == slips_.end() ? nullptr : &it->second;
}

const measure::BlendAt* Engine::blendOf(const QString& id) {
  const int frame = session_->frame();
  const Blend wanted{id, momentKey(frame), {}};
  if (blend_ == wanted && blend_.found) return &*blend_.found;
  // One at a time, and pictures that are waited for come first.
  if (blending_ || session_->draft() || !making_.empty()) return nullptr;
  blending_ = true;
  const QPointer<Engine> self(this);
  inBackground(slowPool_, [self, wanted, id, frame, timeline = session_->timeline(), workshop = workshop_] {
    yieldToInterface();
    measure::BlendAt found;
    try {
      found = measure::blendAt(*timeline, id.toStdString(), frame, *workshop);
    } catch (const std::exception& e) {
      found.why = e.what();
    }
    inInterface([self, wanted, found] {
      if (!self) return;
      self->blend_ = wanted, self->blend_.found = found, self->blending_ = false;
      emit self->slipChanged();
    });
  });
  return nullptr;
}

void Engine::startMeasuring() {
  // Pictures that are waited for come first.
  if (session_->draft() || !making_.empty()) {
    measureTimer_.start();
    return;
  }
  if (measureJob_) measureJob_->stop();
  const auto shot = session_->snapshot();
  const auto timeline = session_->timeline();
  std::erase_if(warnings_, [&](const auto& w) { return !shot->element(w.first.toStdString()); });
  std::erase_if(slips_, [&](const auto& w) { return !shot->element(w.first.toStdString()); });
  const bool carried = !shot->camera->empty() || !shot->regions.empty();
  if (shot->elements.empty() || !carried) {
    measuring_ = false;
    emit slipChanged();
    return;
  }
  measuring_ = true;
  emit slipChanged();
  const auto job = std::make_shared<Job>();
  measureJob_ = job;
  const auto workshop = workshop_;
  const auto known = slipKeys_;
  const QPointer<Engine> self(this);
  inBackground(slowPool_, [self, shot, timeline, job, workshop, known] {
    yieldToInterface();
    const auto later = [](const std::function<void()>& f) { inInterface(f); };
    for (const auto& e : shot->elements) {
      if (job->stopped()) break;
      if (!e.on) continue;
      const QString id = QString::fromStdString(e.id);
      try {
        const uint64_t key = measure::slipKey(*timeline, e.id);
        if (const auto it = known.find(id); it != known.end() && it->second == key) continue;
        const FrameRange range = e.range.count() ? overlap(e.range, shot->range) : shot->range;
        const auto words = QString::fromStdString(
            comp::wordsFor(comp::cutOffs(*timeline, e.id, range, *workshop, *job), *timeline, e.name));
        const bool slips = isCarried(e.place);
        const auto slip = slips ? measure::slipOver(*timeline, e.id, *workshop, *job) : measure::Slip();
        later([self, id, key, words, slips, slip, job] {
          if (!self || job->stopped()) return;
          self->warnings_[id] = words;
          if (slips)
            self->slips_[id] = slip;
          else
            self->slips_.erase(id);
          self->slipKeys_[id] = key;
          emit self->slipChanged();
        });
      } catch (const std::exception&) {
        // A frame that cannot be read is named where it is shown; the element then has no figure.
        later([self, id, job] {
          if (!self || job->stopped()) return;
          self->slips_.erase(id), self->slipKeys_.erase(id);
          emit self->slipChanged();
        });
      }
    }
    later([self, job] {
      if (!self || self->measureJob_ != job) return;
      self->measuring_ = false;
      emit self->slipChanged();
    });
  });
}

void Engine::deliver(bool overwrite) {
  if (deliveryJob_) return;
  const auto job = std::make_shared<Job>();
  deliveryJob_ = job;
  deliveryClock_.start();
  deliveryDone_ = 0;
  deliveryWords_ = tr("starting");
  emit deliveryChanged();
  const auto shot = session_->snapshot();
  const auto workshop = workshop_;
  const QPointer<Engine> self(this);
  job->onProgress = [self](double done, const std::string& what) {
    const QString words = QString::fromStdString(what);
    inInterface([self, done, words] {
      if (!self || !self->deliveryJob_) return;
      self->deliveryDone_ = done;
      const double spent = static_cast<double>(self->deliveryClock_.elapsed()) / 1000;
      const int left = done > 0.02 ? static_cast<int>(std::ceil(spent / done * (1 - done))) : -1;
      self->deliveryWords_ = left >= 0 ? tr("%1 · %2 s left").arg(words).arg(left) : words;
      emit self->deliveryChanged();
    });
  };
  output::DeliveryWish wish{overwrite, false, {}};
  if (!session_->file().isEmpty() && !session_->mayDeliverTo(QString::fromStdString(shot->delivery.pattern)))
    wish.within = std::filesystem::path(session_->file().toStdString()).parent_path();
  inBackground(slowPool_, [self, shot, job, workshop, wish] {
    yieldToInterface();
    QString words;
    bool complete = false, othersThere = false, leaves = false;
    try {
      std::vector<int> frames;
      for (int f = shot->range.first; f <= shot->range.last; ++f) frames.push_back(f);
      const auto report = output::deliver(*moment::Timeline::of(shot), frames, *workshop, *job, wish);
      complete = !report.stopped && report.refused.empty();
      words = report.stopped
                  ? tr("Stopped after %1 frames; delivering again goes on from there")
                        .arg(report.written.size() + report.kept.size())
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
      self->deliveryJob_.reset();
      self->deliveryWords_ = words;
      emit self->deliveryChanged();
      if (leaves) {
        emit self->wouldLeave(words, overwrite);
        return;
      }
      if (othersThere) {
        emit self->wouldReplace(words);
        return;
      }
      emit self->deliveryEnded(complete, words);
      self->countDelivered();
    });
  });
}

void Engine::stopDelivery() {
  if (deliveryJob_) deliveryJob_->stop();
}

void Engine::countDelivered() {
  if (session_->shot().plate().empty() || delivering()) return;
  const unsigned generation = ++countGeneration_;
  const auto shot = session_->snapshot();
  const QPointer<Engine> self(this);
  inBackground(slowPool_, [self, shot, generation] {
    yieldToInterface();
    int n = 0;
    const auto timeline = moment::Timeline::of(shot);
    for (int f = shot->range.first; f <= shot->range.last; ++f) try {
        n += output::isUpToDate(*timeline, f);
      } catch (const std::exception&) {
        // What cannot be made is not up to date.
      }
    inInterface([self, n, generation] {
      if (self && generation == self->countGeneration_) self->setDeliveryCount(n);
    });
  });
}

void Engine::setDeliveryCount(int n) {
  upToDate_ = n;
  emit deliveryChanged();
}

bool Engine::idle() const {
  return making_.empty() && wanted_.empty() && !measuring_ && !blending_ && !measureTimer_.isActive() && !delivering();
}

bool Engine::settle(int milliseconds) {
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < milliseconds) {
    QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
    if (idle()) return true;
    QThread::msleep(5);
  }
  return false;
}

}  // namespace zentil::app
