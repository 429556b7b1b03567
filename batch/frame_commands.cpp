#include "batch/shot_commands.h"

#include <atomic>
#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/base/median.h"
#include "core/base/stop_on_signal.h"
#include "core/comp/beyond.h"
#include "core/edit/edits.h"
#include "core/edit/flat_view.h"
#include "core/edit/new_shot.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/export_choices.h"
#include "core/exchange/write.h"
#include "core/lens/st_maps.h"
#include "core/measure/best_frame.h"
#include "core/measure/blend.h"
#include "core/measure/slip.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::batch {
namespace {

/// How an element sits on its frames, as JSON; and in one line.
struct Sits {
  json frames = json::array();
  std::string words;
};
Sits sitsOf(const evaluate::ShotEvaluator& evaluator, const element::Element& e, comp::RenderCache& cache) {
  Sits out;
  std::vector<double> seams, grains;
  std::string why = "it shows on no frame";
  const FrameRange shows = e.range.count() ? overlap(e.range, evaluator.range()) : evaluator.range();
  for (int f = shows.first; f <= shows.last; ++f) {
    measure::BlendAt b;
    try {
      b = measure::blendAt(evaluator, e.id, f, cache);
    } catch (const Error& error) {
      b.why = error.what();  // a picture that cannot be made cannot be judged; others can
    }
    json here = {{"frame", f}, {"seam", nullptr}, {"grain", nullptr}};
    if (b.known()) {
      here["seam"] = b.seam, here["seamSigma"] = b.seamSigma;
      seams.push_back(b.seam);
      if (b.grain >= 0) here["grain"] = b.grain, grains.push_back(b.grain);
    } else {
      here["why"] = why = b.why;
    }
    out.frames.push_back(here);
  }
  if (seams.empty()) {
    out.words = fmt::format("no match figures: {}", why);
    return out;
  }
  out.words = fmt::format(
      "its edge steps by {:.1f}% (worst {:.1f}%); its finest grain {}; {} of {} frames are not known",
      100 * medianOf(seams), 100 * *std::max_element(seams.begin(), seams.end()),
      grains.empty() ? "is not known" : fmt::format("is {:.2f} times that of the plate around it", medianOf(grains)),
      out.frames.size() - seams.size(), out.frames.size());
  return out;
}

}  // namespace

int deliver(const Arguments& a) {
  shot::Shot s = shot::load(a.shot);
  if (!a.out.empty()) s.delivery.pattern = (fs::absolute(a.out) / fs::path(s.delivery.pattern).filename()).string();
  const std::vector<int> frames = framesOf(s, a.frames);
  comp::RenderCache cache(a.budgetMb << 20);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  Job job;
  const StopOnSignal stoppable(job);
  if (!a.json)
    job.onProgress = [](double done, const std::string& what) {
      fmt::print(stderr, "\r{:3.0f}%  {}   ", done * 100, what);
    };
  // The plate's frame and the one that is made of it are there at once, whatever the budget says.
  if (const size_t least = 2 * static_cast<size_t>(s.width) * s.height * 16 >> 20; a.budgetMb < least)
    fmt::print(stderr, "zentil-batch: two frames of {} x {} take {} MB: --memory {} cannot be kept to\n", s.width,
               s.height, least, a.budgetMb);
  output::DeliveryWish wish = a.wish;
  // Whoever names a place has been asked.
  if (!a.elsewhere && a.out.empty()) wish.within = fs::absolute(a.shot).parent_path();
  const auto report = output::deliver(*evaluate::ShotEvaluator::of(s), frames, cache, job, wish);
  if (!a.json) fmt::print(stderr, "\n");
  json refused = json::array();
  for (const auto& r : report.refused) refused.push_back({{"frames", r.frames}, {"why", r.why}});
  if (a.json)
    print(json{{"written", report.written},
               {"kept", report.kept},
               {"refused", refused},
               {"stopped", report.stopped},
               {"files", s.delivery.pattern}});
  else
    fmt::print("{}: {} frames written, {} kept{}\n", s.delivery.pattern, report.written.size(), report.kept.size(),
               report.stopped ? ", stopped" : "");
  for (const auto& r : report.refused)
    fmt::print(stderr, "zentil-batch: frames {} were refused: {}\n", describeFrames(r.frames), r.why);
  return report.stopped ? kStopped : report.refused.empty() ? kDone : kProblems;
}

int slip(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  comp::RenderCache cache(a.budgetMb << 20);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  json all = json::array();
  if (!a.element.empty() && std::none_of(s.elements.begin(), s.elements.end(),
                                         [&](const auto& e) { return e.id == a.element || e.name == a.element; }))
    throw Error(fmt::format("there is no element \"{}\"", a.element), "Name one by its id or name (info lists them)");
  for (const auto& e : s.elements) {
    if (!e.on || (!a.element.empty() && e.id != a.element && e.name != a.element)) continue;
    if (!isCarried(e.place)) continue;  // what nothing carries has none
    const auto result = measure::slipOver(*evaluator, e.id, cache);
    json frames = json::array();
    for (const auto& f : result.frames) {
      if (f.known)
        frames.push_back({{"frame", f.frame},
                          {"px", f.px()},
                          {"offset", {f.offset.x(), f.offset.y()}},
                          {"scale", f.scale()},
                          {"turnDegrees", f.turnDegrees()},
                          {"sigmaPx", f.sigmaPx},
                          {"against", f.against},
                          {"confidence", f.confidence()}});
      else
        frames.push_back({{"frame", f.frame}, {"px", nullptr}, {"why", f.why}});
    }
    all.push_back({{"id", e.id},
                   {"name", e.name},
                   {"lockPx", result.lockPx},
                   {"lockFrame", result.lockFrame},
                   {"medianPx", result.medianPx},
                   {"unknown", result.unknown},
                   {"frames", frames}});
    if (!a.json)
      fmt::print("{}: lock {:.3f} px at {}, median {:.3f} px, {} of {} frames could not be measured\n", e.name,
                 result.lockPx, result.lockFrame, result.medianPx, result.unknown, result.frames.size());
    if (!a.sits) continue;
    const Sits sits = sitsOf(*evaluator, e, cache);
    all.back()["sits"] = sits.frames;
    if (!a.json) fmt::print("  {}\n", sits.words);
  }
  if (a.json)
    print(json{{"shot", s.name}, {"elements", all}});
  else if (all.empty())
    fmt::print("no element is on a surface: there is no slip to measure\n");
  return 0;
}

int frames(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  const auto e = std::find_if(s.elements.begin(), s.elements.end(),
                              [&](const auto& x) { return x.id == a.element || x.name == a.element; });
  if (e == s.elements.end())
    throw Error(fmt::format("there is no element \"{}\"", a.element), "Name one by its id or name (info lists them)");
  const std::vector<int> targets = framesOf(s, a.frames);
  comp::RenderCache cache(a.budgetMb << 20);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  Job job;
  const StopOnSignal stoppable(job);
  const bool matched = e->look.matched && e->look.light != element::Light::AsSet;
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  json all = json::array();
  for (const int target : targets) {
    const auto found = measure::framesFor(*evaluator, e->id, target, matched, cache, job);
    json list = json::array();
    for (const auto& f : found.frames)
      list.push_back({{"frame", f.frame},
                      {"usable", f.usable},
                      {"seen", f.seen},
                      {"unwanted", f.excluded},
                      {"sharpness", f.sharpness},
                      {"detail", f.detail},
                      {"level", f.gain},
                      {"away", f.away},
                      {"ring", f.ring},
                      {"words", f.words}});
    all.push_back({{"target", target}, {"best", found.best}, {"neverSeenPx", found.neverSeenPx}, {"frames", list}});
    if (!a.json)
      fmt::print("for {}: frame {} {}{}{}\n", target, found.best, found.at(found.best)->words,
                 found.unread() ? fmt::format("; {} frames cannot be read", found.unread()) : "",
                 found.neverSeenPx > 0 ? fmt::format("; no frame shows {:.0f} px of it", found.neverSeenPx) : "");
  }
  if (a.json) print(json{{"element", e->id}, {"targets", all}});
  return 0;
}

int look(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  // As the shot says, but for what is said here.
  auto views = edit::flatViewsOf(s, framesOf(s, a.frames));
  for (auto& [f, steer] : views.steers) {
    if (a.yaw) steer.yaw = *a.yaw;
    if (a.pitch) steer.pitch = *a.pitch;
    if (a.roll) steer.roll = *a.roll;
    if (a.fov) steer.fovDegrees = *a.fov;
  }
  if (!a.size.empty() && std::sscanf(a.size.c_str(), "%dx%d", &views.width, &views.height) != 2)
    throw Error(fmt::format("\"{}\" is no size", a.size), "Write it as 1920x1080");
  comp::RenderCache cache(a.budgetMb << 20);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  Job job;
  const StopOnSignal stoppable(job);
  const fs::path folder = fs::absolute(a.out.empty() ? "." : a.out);
  if (a.asPlate) {
    const auto file = edit::writeFlatPlate(s, views, folder, cache, job);
    if (a.json)
      print(json{{"frames", views.steers.size()}, {"shot", file.string()}});
    else
      fmt::print("{} frames: {}\n", views.steers.size(), file.string());
    return 0;
  }
  const auto files = output::writeFlatViews(*evaluate::ShotEvaluator::of(s), views, folder, cache, job);
  json list = json::array();
  for (const auto& f : files) list.push_back(f.string());
  if (a.json)
    print(json{{"files", list}});
  else
    for (const auto& f : files) fmt::print("{}\n", f.string());
  return 0;
}

}  // namespace zentil::batch
