#include "app/tasks/engine.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <cmath>

#include "app/document/background.h"
#include "app/document/looks.h"
#include "app/document/shown_picture.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/comp/fill_render.h"
#include "core/comp/filled_edges.h"
#include "core/comp/reprojected_frame.h"
#include "core/evaluate/fewer_sources.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/crop.h"

namespace zentil::app {
namespace {

/// Pictures that are waited for at once: one, what it is compared with, the plate of both.
constexpr int kAtOnce = 4;
/// While something is dragged: the newest follows when these are done.
constexpr int kAtOnceDragging = 2;

struct Made {
  QImage image;
  QString problem;
  bool stopped = false;
  bool ofOther = false;  ///< the problem is that of a frame it is compared with: its own picture is none the worse
  std::shared_ptr<image::Picture> floats;
};

/// How the picture is looked at; null: as shot.
struct Looked {
  std::shared_ptr<const view::OutputView> look;
  bool filled = false;  ///< what is beyond the plate is taken from other frames
};

/// Takes a picture that is not finished: with so many elements laid; or a draft of all of it.
using TakePart =
    std::function<void(const image::Picture& soFar, const evaluate::FrameState& state, size_t laid, bool draft)>;

/// Frames that a fill is drafted from.
constexpr size_t kDraftFrames = 8;

/// Whether fills have to be put together before there is a picture.
bool fillsMissing(const evaluate::FrameState& state, const comp::RenderCache& cache) {
  return std::any_of(state.layers.begin(), state.layers.end(), [&](const evaluate::Layer& l) {
    return element::isFromManyFrames(l.source) && l.sources.size() > 2 * kDraftFrames && !comp::isGathered(l, cache);
  });
}

Made make(const evaluate::ShotEvaluator& evaluator, int frame, Layer layer, const View& view, const Looked& looked,
          bool draft, comp::RenderCache& cache, const TakePart& take) {
  const auto& look = looked.look;
  Made out;
  try {
    std::vector<std::string> failed;
    evaluate::FrameState state = evaluator.at(frame, layer == Layer::Plate ? nullptr : &failed);
    if (look) state = evaluate::seenFrom(state, look->view, look->box);
    comp::BuildOptions options;
    options.failed = &failed;
    const bool inParts = take && layer == Layer::Built && view.channel != Channel::Alpha && !looked.filled;
    if (inParts && fillsMissing(state, cache)) {
      // A few frames first: what they show is most of it.
      comp::BuildOptions quick;
      quick.filter = map::Filter::Draft, quick.failed = &failed;
      const evaluate::FrameState few = evaluate::withFewerSources(state, kDraftFrames);
      quick.progress = [&](const image::Picture& soFar, size_t laid) { take(soFar, few, laid, false); };
      take(comp::buildFrame(few, cache, quick), few, few.layers.size(), true);
      failed.clear();
    } else if (inParts) {
      options.progress = [&](const image::Picture& soFar, size_t laid) { take(soFar, state, laid, false); };
    }
    options.filter = draft ? map::Filter::Draft : map::Filter::Sharp;
    options.elements = layer != Layer::Plate;
    const auto other = [&] {
      try {
        return comp::otherFrame(evaluator, *state.here, view.against.value_or(frame), cache, options.filter);
      } catch (const std::exception& e) {
        out.problem = QString::fromStdString(e.what()), out.ofOther = true;
        return image::Picture(state.frameBox(), state.frameBox(), 4);
      }
    };
    // The alpha that is looked at is the elements' own: the plate has none.
    image::Picture p = layer == Layer::Other ? other()
                       : view.channel == Channel::Alpha && layer != Layer::Plate
                           ? comp::buildAdded(state, cache, options.filter, &failed)
                           : comp::buildFrame(state, cache, options);
    if (look && looked.filled && layer == Layer::Built && view.channel != Channel::Alpha)
      p = comp::withFilledEdges(evaluator, frame, *look, cache, options.filter).picture;
    p = image::over(p, state.frameBox());
    if (layer == Layer::Difference) {
      comp::BuildOptions plateAlone = options;
      plateAlone.elements = false;
      const image::Picture before =
          view.against ? other() : image::over(comp::buildFrame(state, cache, plateAlone), state.frameBox());
      const auto gain = static_cast<float>(view.differenceGain);
      for (size_t i = 0; i < p.values.size(); i += 4)
        for (size_t c = i; c < i + 3; ++c)
          // Where the other frame shows nothing there is nothing to tell.
          p.values[c] =
              view.against && before.values[i + 3] < 0.999f ? 0 : std::abs(p.values[c] - before.values[c]) * gain;
    }
    if (layer == Layer::Built && !state.here->asShot) out.floats = std::make_shared<image::Picture>(p);
    out.image = shownPicture(p, view);
    out.image.setOffset(QPoint(p.data.x0, p.data.y0));
    if (!failed.empty()) out.problem = QString::fromStdString(failed.front());
    if (failed.size() > 1)
      out.problem += QObject::tr(" %n more elements cannot be made.", nullptr, static_cast<int>(failed.size()) - 1);
  } catch (const Stopped&) {
    out.stopped = true;
  } catch (const std::exception& e) {
    out.problem = QString::fromStdString(e.what());
  }
  return out;
}

uint64_t keyAt(const evaluate::ShotEvaluator& evaluator, int frame) {
  try {
    return evaluator.at(frame).key;
  } catch (const std::exception& e) {
    return hashOf(e.what());  // making it says so
  }
}

}  // namespace

Engine::Engine(Session* session, size_t budgetBytes, QObject* parent)
    : QObject(parent),
      session_(session),
      cache_(std::make_shared<comp::RenderCache>(budgetBytes / 10 * 7)),
      imageBudget_(budgetBytes / 10 * 3),
      jobs_(new ShotJobs(session, cache_, this)),
      meter_(new Meter(session, this)),
      plateSearch_(new PlateSearch(session, this)),
      delivery_(new Delivery(session, this)) {
  image::useCallingThreadOnly();
  pool_.setMaxThreadCount(kAtOnce);
  aheadPool_.setMaxThreadCount(std::max(2, QThread::idealThreadCount()));
  for (QThreadPool* p : {&pool_, &aheadPool_}) p->setExpiryTimeout(-1);
  slowPool_.setMaxThreadCount(3);
  connect(session, &Session::shotChanged, this, &Engine::refreshKeys);
  connect(session, &Session::documentReplaced, this, [this] {
    latest_.clear();  // of another shot
    refreshKeys();
  });
  connect(session, &Session::filesFollowed, this, &Engine::refreshKeys);
  scanTimer_.setSingleShot(true);
  connect(&scanTimer_, &QTimer::timeout, this, &Engine::scanFiles);
  connect(session, &Session::viewChanged, this, [this] { wanted_.clear(), ahead_.clear(), stopStale(); });
  connect(session, &Session::frameChanged, this, &Engine::stopStale);
  // What is slow to make is kept beside the shot, for the next time and for commands.
  const auto keep = [this] { cache_->setKeptFolder(comp::keptFolderFor(session_->file().toStdString())); };
  connect(session, &Session::shotChanged, this, keep);
  connect(session, &Session::documentReplaced, this, keep);
  refreshKeys();
}

Engine::~Engine() {
  // They stop before their threads are waited for.
  delete meter_;
  delete delivery_;
  wanted_.clear(), ahead_.clear();
  for (const Making& m : making_) m.job->stop();
  pool_.waitForDone();
  aheadPool_.waitForDone();
  slowPool_.waitForDone();
}

void Engine::setBudget(size_t bytes) {
  cache_->setBudget(bytes / 10 * 7);
  imageBudget_ = bytes / 10 * 3;
}

size_t Engine::bytesHeld() const { return cache_->bytes() + imageBytes_; }

void Engine::refreshKeys() {
  ++edits_;
  momentKeys_.clear();
  wanted_.clear(), ahead_.clear();
  problems_.clear(), incomplete_.clear();
  if (floats_ && momentKey(floatsKey_.frame) != floatsKey_.state) delivery_->doubt();
  scanTimer_.start(60);
  stopStale();
}

uint64_t Engine::momentKey(int frame) const {
  const auto it = momentKeys_.find(frame);
  if (it != momentKeys_.end()) return it->second;
  return momentKeys_[frame] = keyAt(*session_->evaluator(), frame);
}

void Engine::scanFiles() {
  if (scanning_ || !session_->shot().hasPlate()) return;
  if (session_->draft()) {
    scanTimer_.start(500);
    return;
  }
  scanning_ = true;
  const auto evaluator = evaluate::ShotEvaluator::of(session_->snapshot());
  const unsigned edits = edits_;
  const QPointer<Engine> self(this);
  inBackground(slowPool_, [self, evaluator, edits] {
    yieldToInterface();
    QElapsedTimer clock;
    clock.start();
    std::unordered_map<int, uint64_t> keys;
    const FrameRange r = evaluator->range();
    for (int f = r.first; f <= r.last; ++f) keys[f] = keyAt(*evaluator, f);
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
  const bool steadied =
      session_->view().delivered ? shot.output.kind == shot::OutputKind::Steadied : session_->view().steady;
  return steadied && shot.steady.fills() && shot.projection == shot::Projection::Camera;
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
  // It is seen by way of the set and two cameras.
  if (v.against && (layer == Layer::Difference || layer == Layer::Other))
    h = hashOf(uint64_t{session_->history().revision()}, hashOf(momentKey(*v.against), hashOf(*v.against, h)));
  return {momentKey(frame), h, frame};
}

bool Engine::hasImage(int frame, Layer layer) const {
  // A frame whose key is not known yet is not worth waiting for.
  if (frame != session_->frame() && !momentKeys_.count(frame)) return false;
  return images_.count(keyOf(frame, layer)) != 0;
}

std::vector<int> Engine::framesWithImage(Layer layer) const {
  std::vector<int> out;
  for (const auto& [frame, _] : momentKeys_)
    if (images_.count(keyOf(frame, layer))) out.push_back(frame);
  if (!momentKeys_.count(session_->frame()) && hasImage(session_->frame(), layer)) out.push_back(session_->frame());
  return out;
}

QImage Engine::image(int frame, Layer layer) {
  const Key key = keyOf(frame, layer);
  if (const auto it = images_.find(key); it != images_.end()) {
    order_.splice(order_.begin(), order_, it->second.place);
    latest_[static_cast<int>(layer)] = {it->second.image, frame};
    origin_ = it->second.image.offset();
    // The numbers under the pointer want floats: made again quietly when only the image was kept.
    return it->second.image;
  }
  if (problems_.contains(frame)) return {};
  startMaking(key, frame, layer);
  return {};
}

Engine::Shown Engine::shown(int frame, Layer layer) {
  Shown out;
  out.frame = frame;
  out.image = image(frame, layer);
  // What cannot be made is not stood in for by another frame.
  if (!out.image.isNull() || problems_.contains(frame)) return out;
  const bool parts = layer == Layer::Built && partial_.key == keyOf(frame, layer) && !partial_.image.isNull();
  if (parts) {
    out.laid = partial_.laid, out.making = partial_.next;
    out.elements = static_cast<int>(partial_.elements.size());
  }
  const Latest before = latest(layer);
  if (parts && partial_.draft) {
    out.image = partial_.image, out.what = Shown::Draft;
  } else if (before.frame == frame && !before.image.isNull()) {
    out.image = before.image, out.what = Shown::Before;
  } else if (parts) {
    out.image = partial_.image, out.what = Shown::Parts;
  } else if (layer == Layer::Built && !session_->shot().elements.empty()) {
    out.image = image(frame, Layer::Plate), out.what = Shown::Plate;
  }
  if (!out.image.isNull()) {
    origin_ = out.image.offset();
  } else if (!before.image.isNull()) {
    out.image = before.image, out.what = Shown::OtherFrame, out.frame = before.frame;
  }
  return out;
}

bool Engine::isAwaited(int frame, const QString& element) const {
  if (hasImage(frame, Layer::Built) || partial_.key != keyOf(frame, Layer::Built)) return false;
  const auto at = partial_.elements.indexOf(element);
  return at >= 0 && (partial_.draft || at >= partial_.laid);
}

void Engine::lookAhead(const std::vector<int>& frames, Layer layer) {
  ahead_.clear();
  for (const int f : frames)
    if (!images_.count(keyOf(f, layer)) && !problems_.contains(f)) ahead_.push_back({keyOf(f, layer), f, layer});
  pump();
}

int Engine::waitedFor() const {
  return static_cast<int>(std::count_if(making_.begin(), making_.end(), [](const Making& m) { return !m.ahead; }));
}

void Engine::stopStale() {
  // While something is dragged a picture that comes a little late is better than none.
  if (session_->draft()) return;
  for (const Making& m : making_)
    if (m.ahead ? m.what.key != keyOf(m.what.frame, m.what.layer)
                : m.what.frame != session_->frame() || m.what.key != keyOf(m.what.frame, m.what.layer))
      m.job->stop();
}

void Engine::startMaking(const Key& key, int frame, Layer layer) {
  for (const Making& m : making_) {
    if (m.what.key != key || m.job->stopped()) continue;
    if (!m.ahead) return;
    m.job->stop();  // it is waited for now
  }
  std::erase_if(wanted_, [&](const Wanted& w) { return w.key == key; });
  std::erase_if(ahead_, [&](const Wanted& w) { return w.key == key; });
  // A plate is quick.
  if (layer == Layer::Plate)
    wanted_.push_front({key, frame, layer});
  else
    wanted_.push_back({key, frame, layer});
  pump();
}

void Engine::pump() {
  while (!wanted_.empty() && waitedFor() < (session_->draft() ? kAtOnceDragging : kAtOnce)) {
    const Wanted w = wanted_.front();
    wanted_.pop_front();
    start(w, false);
  }
  while (!ahead_.empty() && wanted_.empty() && waitedFor() == 0 &&
         static_cast<int>(making_.size()) < aheadPool_.maxThreadCount()) {
    const Wanted w = ahead_.front();
    ahead_.pop_front();
    start(w, true);
  }
}

void Engine::start(const Wanted& w, bool ahead) {
  const bool same = std::any_of(making_.begin(), making_.end(),
                                [&](const Making& m) { return m.what.key == w.key && !m.job->stopped(); });
  if (same || images_.count(w.key)) return;
  const auto job = std::make_shared<Job>();
  making_.push_back({job, w, ahead});
  const auto evaluator = session_->evaluator();
  const View view = session_->view();
  const Looked look{session_->looks().at(w.frame), filled()};
  const bool draft = session_->draft();
  const auto cache = cache_;
  const QPointer<Engine> self(this);
  const auto done = [self, w, job](const Made& made) {
    inInterface([self, w, job, made] {
      if (!self) return;
      std::erase_if(self->making_, [&](const Making& m) { return m.job == job; });
      if (made.stopped) {
        self->pump();
        emit self->ready(w.frame);  // it may have been asked for again meanwhile
        return;
      }
      if (made.ofOther) self->session_->say(made.problem);
      self->finished(w.key, w.frame, w.layer, made.image, made.ofOther ? QString() : made.problem, made.floats);
    });
  };
  if (ahead) {
    inBackground(aheadPool_, [=] {
      thread_local const bool yielded = (yieldToInterface(), true);
      (void)yielded;
      Made made;
      made.stopped = true;
      try {
        runBehind(*job, [&] { made = make(*evaluator, w.frame, w.layer, view, look, draft, *cache, {}); });
      } catch (const Stopped&) {
      }
      done(made);
    });
    return;
  }
  inBackground(pool_, [=] {
    const WaitedFor first;
    const WorkFor of(*job);
    QElapsedTimer since;
    since.start();
    const TakePart take = [&](const image::Picture& soFar, const evaluate::FrameState& state, size_t laid, bool all) {
      // Nothing is laid yet: that is the plate, which is shown as such. Others as often as the eye follows.
      constexpr int kEveryMs = 150;
      if (!all && (laid == 0 || since.elapsed() < kEveryMs)) return;
      Partial part;
      part.key = w.key, part.draft = all, part.laid = static_cast<int>(laid);
      for (const auto& l : state.layers) part.elements << QString::fromStdString(l.id);
      if (laid < state.layers.size()) part.next = QString::fromStdString(state.layers[laid].name);
      const image::Picture p = image::over(soFar, state.frameBox());
      part.image = shownPicture(p, view);
      part.image.setOffset(QPoint(p.data.x0, p.data.y0));
      since.restart();
      inInterface([self, part] {
        if (self) self->takePartial(part);
      });
    };
    done(make(*evaluator, w.frame, w.layer, view, look, draft, *cache, draft ? TakePart() : take));
  });
}

void Engine::takePartial(const Partial& partial) {
  partial_ = partial;
  emit ready(partial.key.frame);
}

void Engine::finished(const Key& key, int frame, Layer layer, const QImage& image, const QString& problem,
                      const std::shared_ptr<image::Picture>& floats) {
  if (!problem.isEmpty() && key.state == momentKey(frame)) {
    // With an image, some element is missing from it; without, there is no picture of that frame.
    auto& problems = image.isNull() ? problems_ : incomplete_;
    if (problems.value(frame) != problem) {
      problems[frame] = problem;
      if (frame == session_->frame()) session_->say(problem);
    }
  }
  if (!image.isNull() && !images_.count(key)) {
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
  if (!floats_ || floatsKey_.frame != frame || floatsKey_.state != momentKey(frame)) return false;
  const int x = static_cast<int>(std::floor(plate.x())), y = static_cast<int>(std::floor(plate.y()));
  if (!floats_->data.contains(x, y)) return false;
  std::copy_n(floats_->pixel(x, y), 4, rgba);
  return true;
}

bool Engine::idle() const {
  return making_.empty() && wanted_.empty() && ahead_.empty() && meter_->idle() && !delivery_->running();
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
