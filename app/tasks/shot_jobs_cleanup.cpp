// What a cleanup measures on the plate's frames, in the background.
#include "app/tasks/shot_jobs.h"
#include "core/edit/card.h"
#include "core/edit/cleanup.h"
#include "core/edit/make.h"
#include "core/estimate/card_distance.h"
#include "core/measure/grain.h"
#include "core/measure/level.h"
#include "core/measure/repeat.h"

namespace zentil::app {

bool ShotJobs::foundHolds() const {
  const auto& now = session_->shot();
  const auto* here = now.element(found_->element);
  const auto* then = foundIn_->element(found_->element);
  return here && then && here->place == then->place && here->cover == then->cover &&
         here->look.light == then->look.light && now.mattes == foundIn_->mattes && now.surfaces == foundIn_->surfaces &&
         now.camera == foundIn_->camera && now.lens == foundIn_->lens && now.plates == foundIn_->plates &&
         now.range == foundIn_->range;
}

void ShotJobs::dropFound() {
  if (!found_) return;
  found_.reset(), foundIn_.reset();
  emit changed();
}

void ShotJobs::findFrames(const QString& elementId, std::optional<int> frame) {
  const int target = frame.value_or(session_->frame());
  if (waits(ofElement(tr("Weighing frames"), elementId), [=, this] { findFrames(elementId, target); })) return;
  const auto shot = session_->snapshot();
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  const auto* e = shot->element(id);
  if (!e) return;
  const bool matched = e->look.matched && e->look.light != element::Light::AsSet;
  run(ofElement(tr("Weighing frames"), elementId), [this, shot, evaluator, target, id, matched](const Job& job) {
    auto found =
        std::make_shared<measure::FoundFrames>(measure::framesFor(*evaluator, id, target, matched, *cache_, job));
    return std::function<void()>([this, shot, found] {
      found_ = std::move(*found), foundIn_ = shot;
      if (!foundHolds()) found_.reset(), foundIn_.reset();
    });
  });
}

void ShotJobs::fillFromFewest(const QString& elementId) {
  if (waits(ofElement(tr("Looking for the fewest frames"), elementId), [=, this] { fillFromFewest(elementId); }))
    return;
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  const auto* e = session_->shot().element(id);
  if (!e) return;
  const bool matched = e->look.matched && e->look.light != element::Light::AsSet;
  run(ofElement(tr("Looking for the fewest frames"), elementId), [this, evaluator, id, matched](const Job& job) {
    const auto fewest = measure::fewestFrames(*evaluator, id, matched, *cache_, job);
    return std::function<void()>([this, fewest, id] {
      session_->change(tr("take the fewest frames"), [&](shot::Shot& s) { edit::fillFrom(s, id, fewest.frames); });
      session_->say(fewest.neverSeenPx > 0
                        ? tr("%1 frames show it between them, but for %2 pixels that no frame shows.")
                              .arg(fewest.frames.size())
                              .arg(fewest.neverSeenPx, 0, 'f', 0)
                        : tr("%1 frames show all of it between them.").arg(fewest.frames.size()),
                    fewest.neverSeenPx > 0);
    });
  });
}

void ShotJobs::putOnCard(const QString& elementId) {
  if (waits(ofElement(tr("Finding its distance"), elementId), [=, this] { putOnCard(elementId); })) return;
  const auto shot = session_->snapshot();
  const std::string id = elementId.toStdString();
  run(ofElement(tr("Finding its distance"), elementId), [this, shot, id](const Job& job) {
    const auto far = estimate::cardDistance(*shot, id, *cache_, job);
    return std::function<void()>([this, far, id] {
      bool done = false;
      session_->change(tr("put an occluder on a card"), [&](shot::Shot& s) {
        edit::putOnCard(s, id, far.distanceM);
        done = true;
      });
      if (!done) return;
      session_->say(tr("It is %1 \u00b1 %2 m away. Its matte now follows a card there and is a removal matte.")
                        .arg(far.distanceM, 0, 'f', 2)
                        .arg(far.sigmaM, 0, 'f', 2),
                    false);
    });
  });
}

void ShotJobs::pickKey(const KeyPick& pick) {
  if (waits(tr("Picking for the key"), [=, this] { pickKey(pick); })) return;
  const auto shot = session_->snapshot();
  run(tr("Picking for the key"), [this, shot, pick](const Job&) {
    shot::Shot picked = *shot;
    edit::pickKey(picked, pick.matte, pick.part, pick.box, pick.frame, pick.covers, *cache_);
    const auto content = picked.matte(pick.matte)->part(pick.part)->content;
    return std::function<void()>([this, pick, content] {
      session_->change(pick.covers ? tr("pick what a key covers") : tr("pick what a key leaves"), [&](shot::Shot& s) {
        auto* m = s.matte(pick.matte);
        if (auto* p = m ? m->part(pick.part) : nullptr) p->content = content;
      });
    });
  });
}

void ShotJobs::snapRepeat(const QString& elementId, std::optional<int> asked) {
  const int frame = asked.value_or(session_->frame());
  if (waits(ofElement(tr("Looking for a repeat"), elementId), [=, this] { snapRepeat(elementId, frame); })) return;
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  const Vec2 near = edit::elsewhereOf(session_->shot(), id, frame);
  run(ofElement(tr("Looking for a repeat"), elementId), [this, evaluator, frame, id, near](const Job&) {
    const auto repeat = measure::repeatNear(*evaluator, id, frame, near, *cache_);
    return std::function<void()>([this, repeat, frame, id] {
      session_->change(tr("snap to a repeat"), [&](shot::Shot& s) { edit::takeElsewhere(s, id, repeat.stepM, frame); });
      session_->say(tr("It looks the same %1 m to the right and %2 m up: %3% alike, to %4 px.")
                        .arg(repeat.stepM.x(), 0, 'f', 3)
                        .arg(repeat.stepM.y(), 0, 'f', 3)
                        .arg(100 * repeat.alike, 0, 'f', 0)
                        .arg(repeat.sigmaPx, 0, 'f', 2),
                    false);
    });
  });
}

void ShotJobs::measureGrain(const QString& elementId) {
  if (waits(ofElement(tr("Measuring grain"), elementId), [=, this] { measureGrain(elementId); })) return;
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  run(ofElement(tr("Measuring grain"), elementId), [this, evaluator, id](const Job& job) {
    const auto grain = measure::grainAround(*evaluator, id, *cache_, job);
    return std::function<void()>([this, grain, id] {
      session_->change(tr("measure grain"), [&](shot::Shot& s) { edit::takeGrain(s, grain, id); });
      const auto& g = grain.green;
      session_->say(tr("Grain is %1 at a level of %2 and %3 at %4 (green); next pixels are %5 alike.")
                        .arg(g.sigmas.front(), 0, 'f', 4)
                        .arg(g.levels.front(), 0, 'f', 3)
                        .arg(g.sigmas.back(), 0, 'f', 4)
                        .arg(g.levels.back(), 0, 'f', 3)
                        .arg(g.lags[1], 0, 'f', 2),
                    false);
    });
  });
}

void ShotJobs::matchLevel(const QString& elementId, std::optional<int> asked) {
  const int frame = asked.value_or(session_->frame());
  if (waits(ofElement(tr("Matching in level"), elementId), [=, this] { matchLevel(elementId, frame); })) return;
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  run(ofElement(tr("Matching in level"), elementId), [this, evaluator, frame, id](const Job&) {
    const auto gain = measure::levelAround(*evaluator, id, frame, *cache_);
    return std::function<void()>([this, gain, frame, id] {
      session_->change(tr("match in level"), [&](shot::Shot& s) { edit::takeLevel(s, id, gain, frame); });
      session_->say(tr("Gain on frame %1: red %2, green %3, blue %4.")
                        .arg(frame)
                        .arg(gain[0], 0, 'f', 3)
                        .arg(gain[1], 0, 'f', 3)
                        .arg(gain[2], 0, 'f', 3),
                    false);
    });
  });
}

void ShotJobs::measureShade(const QString& elementId, std::optional<int> asked) {
  const int frame = asked.value_or(session_->frame());
  if (waits(ofElement(tr("Measuring the shadow"), elementId), [=, this] { measureShade(elementId, frame); })) return;
  const auto evaluator = session_->evaluator();
  const std::string id = elementId.toStdString();
  run(ofElement(tr("Measuring the shadow"), elementId), [this, evaluator, frame, id](const Job&) {
    const auto shade = measure::shadeAcross(*evaluator, id, frame, *cache_);
    return std::function<void()>([this, shade, frame, id] {
      session_->change(tr("measure a shadow"), [&](shot::Shot& s) { edit::takeShade(s, id, shade, frame); });
      session_->say(tr("Transmission %1, %2, %3 %, \u00b1 %4, from %5 pixels along its edge, which is %6 px wide.")
                        .arg(100 * shade.transmission[0], 0, 'f', 1)
                        .arg(100 * shade.transmission[1], 0, 'f', 1)
                        .arg(100 * shade.transmission[2], 0, 'f', 1)
                        .arg(100 * *std::max_element(shade.sigma.begin(), shade.sigma.end()), 0, 'f', 1)
                        .arg(shade.places)
                        .arg(shade.edge.widthPx, 0, 'f', 1),
                    false);
    });
  });
}

}  // namespace zentil::app
