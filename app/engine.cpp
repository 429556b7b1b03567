#include "app/engine.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <cmath>

#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/build/cg.h"
#include "core/build/deliver.h"
#include "core/build/straight.h"
#include "core/image/colour.h"
#include "core/shot/shot_json.h"

namespace zentil::app {
namespace {

struct Made {
  QImage image;
  QString problem;
  std::shared_ptr<image::Picture> floats;
};

const image::ViewTable& tableFor(double exposure, double gamma) {
  thread_local double e = 1e9, g = 0;
  thread_local std::unique_ptr<image::ViewTable> table;
  if (!table || e != exposure || g != gamma)
    table = std::make_unique<image::ViewTable>(exposure, gamma), e = exposure, g = gamma;
  return *table;
}

QImage toImage(const image::Picture& p, const View& view) {
  QImage out(p.data.width(), p.data.height(), QImage::Format_RGB32);
  const image::ViewTable& table = tableFor(view.exposure, view.gamma);
  const int w = p.data.width();
  for (int y = 0; y < p.data.height(); ++y) {
    auto* line = reinterpret_cast<QRgb*>(out.scanLine(y));
    const float* v = p.pixel(p.data.x0, p.data.y0 + y);
    switch (view.channel) {
      case Channel::Colour:
        for (int x = 0; x < w; ++x, v += 4) line[x] = qRgb(table(v[0]), table(v[1]), table(v[2]));
        break;
      case Channel::Alpha:
        for (int x = 0; x < w; ++x, v += 4) {
          const int a = static_cast<int>(std::lround(std::clamp(v[3], 0.0f, 1.0f) * 255));
          line[x] = qRgb(a, a, a);
        }
        break;
      default: {
        const int c = static_cast<int>(view.channel) - 1;
        for (int x = 0; x < w; ++x, v += 4) {
          const int a = table(v[c]);
          line[x] = qRgb(a, a, a);
        }
      }
    }
  }
  return out;
}

Made make(const shot::Shot& shot, int frame, Layer layer, const View& view, bool draft, build::Workshop& workshop) {
  Made out;
  try {
    build::BuildOptions options;
    options.filter = draft ? map::Filter::Draft : map::Filter::Sharp;
    options.elements = layer != Layer::Plate;
    // The alpha that is looked at is the elements' own: the plate has none.
    image::Picture p;
    if (view.channel == Channel::Alpha && layer != Layer::Plate) {
      p = image::Picture(shot.plate.width, shot.plate.height, 4);
      for (const auto& e : shot.elements)
        if (e.shows(frame))
          element::merge(build::buildLayer(shot, e, frame, workshop, options.filter), element::Merge::Over, p);
    } else {
      p = build::buildFrame(shot, frame, workshop, options);
    }
    if (layer == Layer::Difference) {
      const auto plate = workshop.frame(shot.plate, frame);
      for (size_t i = 0; i < p.values.size(); ++i)
        if (i % 4 != 3)
          p.values[i] = std::abs(p.values[i] - plate->picture.values[i]) * static_cast<float>(view.differenceGain);
    }
    if (layer == Layer::Built && !view.straight) out.floats = std::make_shared<image::Picture>(p);
    if (view.straight && !shot.lens.isStraight())
      p = build::straightened(
          p, shot, frame, lens::straightBox(shot.lensAt(frame), shot.plate.width, shot.plate.height), options.filter);
    out.image = toImage(p, view);
    out.image.setOffset(QPoint(p.data.x0, p.data.y0));
  } catch (const std::exception& e) {
    out.problem = QString::fromStdString(e.what());
  }
  return out;
}

uint64_t elementKey(const shot::Shot& shot, const element::Element& e) {
  shot::Shot s = shot;
  s.elements = {e};
  s.elements[0].gain = {1, 1, 1}, s.elements[0].offset = {0, 0, 0}, s.elements[0].opacity = 1,
  s.elements[0].merge = element::Merge::Over;
  s.elements[0].name.clear();
  std::erase_if(s.mattes, [&](const auto& m) { return m.id != e.matte; });
  return hashOf(static_cast<uint64_t>(shot.range.first) << 32 | static_cast<uint32_t>(shot.range.last),
                shot::picturesHash(s));
}

}  // namespace

Engine::Engine(Session* session, size_t budgetBytes, QObject* parent)
    : QObject(parent),
      session_(session),
      workshop_(std::make_shared<build::Workshop>(budgetBytes / 10 * 7)),
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
  connect(session, &Session::documentReplaced, this, &Engine::refreshKeys);
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
  const uint64_t before = pictures_;
  pictures_ = shot::picturesHash(session_->shot());
  if (before != pictures_) {
    wanted_.clear();
    problems_.clear();
    upToDate_ = -1;
    measureTimer_.start();
  }
  countTimer_.start();
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
  if (layer == Layer::Difference) h = hashOf(bits(v.differenceGain), h);
  return {pictures_, h, frame};
}

bool Engine::hasImage(int frame, Layer layer) const { return images_.count(keyOf(frame, layer)) != 0; }

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
    if (!hasImage(f, layer) && !problems_.contains(f)) wanted_.push_back({keyOf(f, layer), f, layer});
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
    const auto shot = session_->snapshot();
    const View view = session_->view();
    const bool draft = session_->draft();
    const auto workshop = workshop_;
    const QPointer<Engine> self(this);
    pool_.start([self, w, shot, view, draft, workshop] {
      thread_local const bool yielded = (yieldToInterface(), true);
      (void)yielded;
      const Made made = make(*shot, w.frame, w.layer, view, draft, *workshop);
      QMetaObject::invokeMethod(
          qApp,
          [self, w, made] {
            if (self) self->finished(w.key, w.frame, w.layer, made.image, made.problem, made.floats);
          },
          Qt::QueuedConnection);
    });
  }
}

void Engine::finished(const Key& key, int frame, Layer layer, const QImage& image, const QString& problem,
                      const std::shared_ptr<image::Picture>& floats) {
  making_.erase(key);
  if (!problem.isEmpty()) {
    if (key.pictures == pictures_ && problems_.value(frame) != problem) {
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
  if (!floats_ || floatsKey_.frame != frame || floatsKey_.pictures != pictures_) return false;
  const int x = static_cast<int>(std::floor(plate.x())), y = static_cast<int>(std::floor(plate.y()));
  if (!floats_->data.contains(x, y)) return false;
  std::copy_n(floats_->pixel(x, y), 4, rgba);
  return true;
}

const measure::Slip* Engine::slipOf(const QString& id) const {
  const auto it = slips_.find(id);
  return it == slips_.end() ? nullptr : &it->second;
}

void Engine::startMeasuring() {
  // Pictures that are waited for come first.
  if (session_->draft() || !making_.empty()) {
    measureTimer_.start();
    return;
  }
  if (measureJob_) measureJob_->stop();
  const auto shot = session_->snapshot();
  std::vector<std::pair<QString, uint64_t>> todo;
  std::map<QString, measure::Slip> kept;
  for (const auto& e : shot->elements) {
    const QString id = QString::fromStdString(e.id);
    const uint64_t key = elementKey(*shot, e);
    if (const auto it = slipKeys_.find(id); it != slipKeys_.end() && it->second == key && slips_.count(id))
      kept[id] = slips_[id];
    else if (e.on && !shot->camera->empty() && (e.kind == element::Kind::Cg || shot->surface(e.surface)))
      todo.emplace_back(id, key);
  }
  slips_ = kept;
  std::erase_if(warnings_, [&](const auto& w) { return !shot->element(w.first.toStdString()); });
  emit slipChanged();
  if (todo.empty()) {
    measuring_ = false;
    return;
  }
  measuring_ = true;
  const auto job = std::make_shared<Job>();
  measureJob_ = job;
  const auto workshop = workshop_;
  const QPointer<Engine> self(this);
  slowPool_.start([self, shot, todo, job, workshop] {
    yieldToInterface();
    for (const auto& [id, key] : todo) {
      if (job->stopped()) break;
      try {
        if (const auto& e = *shot->element(id.toStdString()); e.kind == element::Kind::Cg) {
          const auto words =
              QString::fromStdString(build::describe(build::cutOffs(*shot, e, *workshop, *job), *shot, e));
          QMetaObject::invokeMethod(
              qApp,
              [self, id = id, words, job] {
                if (!self || job->stopped()) return;
                self->warnings_[id] = words;
                emit self->slipChanged();
              },
              Qt::QueuedConnection);
          continue;
        }
        const auto slip = measure::slipOver(*shot, *shot->element(id.toStdString()), *workshop, *job);
        QMetaObject::invokeMethod(
            qApp,
            [self, id = id, key = key, slip, job] {
              if (!self || job->stopped()) return;
              self->slips_[id] = slip;
              self->slipKeys_[id] = key;
              emit self->slipChanged();
            },
            Qt::QueuedConnection);
      } catch (const std::exception&) {
        // A frame that cannot be read is named where it is shown; the element then has no figure.
      }
    }
    QMetaObject::invokeMethod(
        qApp,
        [self, job] {
          if (!self || self->measureJob_ != job) return;
          self->measuring_ = false;
          emit self->slipChanged();
        },
        Qt::QueuedConnection);
  });
}

void Engine::deliver() {
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
    QMetaObject::invokeMethod(
        qApp,
        [self, done, words] {
          if (!self || !self->deliveryJob_) return;
          self->deliveryDone_ = done;
          const double spent = static_cast<double>(self->deliveryClock_.elapsed()) / 1000;
          const int left = done > 0.02 ? static_cast<int>(std::ceil(spent / done * (1 - done))) : -1;
          self->deliveryWords_ = left >= 0 ? tr("%1 · %2 s left").arg(words).arg(left) : words;
          emit self->deliveryChanged();
        },
        Qt::QueuedConnection);
  };
  slowPool_.start([self, shot, job, workshop] {
    yieldToInterface();
    QString words;
    bool complete = false;
    try {
      std::vector<int> frames;
      for (int f = shot->range.first; f <= shot->range.last; ++f) frames.push_back(f);
      const auto report = build::deliver(*shot, frames, *workshop, *job);
      complete = !report.stopped;
      words = report.stopped
                  ? tr("Stopped after %1 frames; delivering again goes on from there")
                        .arg(report.written.size() + report.kept.size())
                  : tr("%1 frames delivered, %2 were up to date").arg(report.written.size()).arg(report.kept.size());
    } catch (const std::exception& e) {
      words = QString::fromStdString(e.what());
    }
    QMetaObject::invokeMethod(
        qApp,
        [self, complete, words] {
          if (!self) return;
          self->deliveryJob_.reset();
          self->deliveryWords_ = words;
          emit self->deliveryChanged();
          emit self->deliveryEnded(complete, words);
          self->countDelivered();
        },
        Qt::QueuedConnection);
  });
}

void Engine::stopDelivery() {
  if (deliveryJob_) deliveryJob_->stop();
}

void Engine::countDelivered() {
  if (session_->shot().plate.empty() || delivering()) return;
  const unsigned generation = ++countGeneration_;
  const auto shot = session_->snapshot();
  const QPointer<Engine> self(this);
  slowPool_.start([self, shot, generation] {
    yieldToInterface();
    int n = 0;
    for (int f = shot->range.first; f <= shot->range.last; ++f) n += build::isUpToDate(*shot, f);
    QMetaObject::invokeMethod(
        qApp,
        [self, n, generation] {
          if (self && generation == self->countGeneration_) self->setDeliveryCount(n);
        },
        Qt::QueuedConnection);
  });
}

void Engine::setDeliveryCount(int n) {
  upToDate_ = n;
  emit deliveryChanged();
}

bool Engine::idle() const {
  return making_.empty() && wanted_.empty() && !measuring_ && !measureTimer_.isActive() && !delivering();
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
