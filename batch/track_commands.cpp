#include "batch/track_commands.h"

#include <iostream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/stop_on_signal.h"
#include "core/edit/object.h"
#include "core/edit/set_word.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/estimate/object.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

using nlohmann::json;

namespace zentil::batch {
namespace {

struct TrackArguments {
  std::string shot, out;
  int count = 0;
  bool lensKnown = false, pixelAspect = false;
  std::string kind, focal, shutter, task = "find";
  double aboutMm = 0, focalSigmaMm = 2, readout = 0;
  double distanceM = 0;
  std::string name, outline, freedom = "perspective", pins, matte, from;
  int frame = 0;
  double x = 0, y = 0, withinPx = track::ManualTracker().within;
  int pattern = 2 * track::ManualTracker().half + 1, search = track::ManualTracker().search;
  bool stays = false, asTracks = false;
};

std::vector<int> leftOutOf(const estimate::Unread& unread) {
  std::vector<int> out;
  for (const auto& [f, why] : unread) out.push_back(f);
  return out;
}

/// What was left out, after what was done.
std::string alsoSaid(const estimate::Unread& unread) { return unread.empty() ? "" : ". " + estimate::toWords(unread); }

int follow(const TrackArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  if (a.count > 0) s.tracking.follow.count = a.count;
  comp::RenderCache cache(size_t{1} << 30);
  estimate::Unread unread;
  const auto tracks = estimate::followShot(s, cache, {}, &unread);
  edit::takeFollowed(s, tracks);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  int places = 0, least = static_cast<int>(tracks.size());
  for (const auto& t : tracks) places += t.length();
  for (int f = s.range.first; f <= s.range.last; ++f)
    if (!unread.count(f)) least = std::min(least, track::countOn(tracks, f));
  if (asJson)
    print(
        json{{"tracks", tracks.size()}, {"places", places}, {"leastOnAFrame", least}, {"leftOut", leftOutOf(unread)}});
  else
    fmt::print("{} tracks, {} places, {} or more on every frame{}{}\n", tracks.size(), places, least,
               tracks.empty() ? ": nothing in the picture could be followed" : "", alsoSaid(unread));
  return tracks.empty() ? 1 : 0;
}

int solveCamera(const TrackArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  s.solveSettings.task = named<solve::Task>(a.task);
  if (!a.kind.empty()) s.solveSettings.kind = named<solve::Kind>(a.kind);
  if (!a.focal.empty()) s.solveSettings.focal = named<solve::Focal>(a.focal);
  if (a.aboutMm > 0) {
    auto path = std::make_shared<camera::CameraPath>(*s.camera);
    path->focalMm = a.aboutMm;
    s.camera = path;
    s.solveSettings.focal = solve::Focal::About, s.solveSettings.focalSigmaMm = a.focalSigmaMm;
  }
  if (!a.shutter.empty()) s.solveSettings.shutter = named<solve::Shutter>(a.shutter);
  if (a.readout != 0) {
    auto path = std::make_shared<camera::CameraPath>(*s.camera);
    path->readout = a.readout;
    s.camera = path;
    s.solveSettings.shutter = solve::Shutter::Known;
  }
  if (a.pixelAspect) s.solveSettings.pixelAspect = true;
  if (a.lensKnown) s.solveSettings.k1 = s.solveSettings.k2 = s.solveSettings.centre = false;
  Job job;
  const StopOnSignal stoppable(job);
  const auto answer = estimate::solveShot(s, job);
  edit::takeSolve(s, answer);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  const auto& e = answer.errors;
  const auto used = std::count_if(e.tracks.begin(), e.tracks.end(), [](const auto& t) { return t.used(); });
  const auto count = [&](solve::Verdict v) {
    return std::count_if(e.tracks.begin(), e.tracks.end(), [&](const auto& t) { return t.verdict == v; });
  };
  const double focalMm = answer.camera.focalAt(s.range.first);
  const auto& known = e.evidence.sigma;
  const double sigmaMm = known.focal * answer.camera.backWidthMm;
  if (asJson) {
    const json sigma = {{"focalMm", sigmaMm},       {"centrePx", {known.centreX * s.width, known.centreY * s.width}},
                        {"k1", known.k1},           {"k2", known.k2},
                        {"readout", known.readout}, {"pixelAspect", known.pixelAspect}};
    print(json{{"rmsPx", e.rmsPx},
               {"kind", nameOf(e.kind)},
               {"why", e.why},
               {"frames", answer.camera.poses.size()},
               {"tracks", e.tracks.size()},
               {"used", used},
               {"sliding", count(solve::Verdict::Slides)},
               {"moving", count(solve::Verdict::Moves)},
               {"focalMm", focalMm},
               {"sigma", sigma},
               {"centreOffsetPx", {answer.camera.centreOffsetPx.x(), answer.camera.centreOffsetPx.y()}},
               {"k1", answer.lens.k1},
               {"k2", answer.lens.k2},
               {"readout", answer.camera.readout},
               {"pixelAspect", s.plate().pixelAspect},
               {"remarks", e.remarks}});
    return 0;
  }
  fmt::print("{} of {} frames solved from {} of {} tracks: {:.3f} px RMS\n", answer.camera.poses.size(),
             s.range.count(), used, e.tracks.size(), e.rmsPx);
  const auto give = [](const char* format, double sigma) {
    return std::isfinite(sigma) ? fmt::format(fmt::runtime(format), sigma) : std::string();
  };
  fmt::print(
      "focal length {:.3f}{} mm on a film back of {:g} mm, centre {:+.2f}{}, {:+.2f}{} px, k1 {:.4f}{}, k2 "
      "{:.4f}{}{}\n",
      focalMm, give(" +- {:.3f}", sigmaMm), answer.camera.backWidthMm, answer.camera.centreOffsetPx.x(),
      give(" +- {:.2f}", known.centreX * s.width), answer.camera.centreOffsetPx.y(),
      give(" +- {:.2f}", known.centreY * s.width), answer.lens.k1, give(" +- {:.4f}", known.k1), answer.lens.k2,
      give(" +- {:.4f}", known.k2), std::isfinite(known.k1) || std::isfinite(known.focal) ? " (standard errors)" : "");
  if (answer.pixelAspect)
    fmt::print("pixel aspect {:.4f}{}\n", *answer.pixelAspect, give(" +- {:.4f}", known.pixelAspect));
  if (answer.camera.readout != 0)
    fmt::print("rows read over {:.1f}{}% of a frame, {:.1f} ms\n", 100 * answer.camera.readout,
               give(" +- {:.1f}", 100 * known.readout), 1000 * answer.camera.readout / s.plate().fps);
  for (const auto& r : e.remarks) fmt::print("note: {}\n", r);
  return 0;
}

/// Over the shot's range, from a frame outwards.
std::vector<estimate::Way> outwards(const shot::Shot& s, int frame) {
  if (!s.range.contains(frame))
    throw Error(fmt::format("frame {} is outside the shot's range", frame),
                fmt::format("Its frames are {} to {}", s.range.first, s.range.last));
  return {{frame, s.range.last}, {frame, s.range.first}};
}

int followTracker(const TrackArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  const int id = edit::addTracker(s, a.frame, Vec2(a.x, a.y), a.name);
  track::Track placed = *shot::trackOf(s, id);
  auto hand = std::make_shared<track::ManualTracker>(*placed.hand);
  hand->half = (a.pattern - 1) / 2, hand->search = a.search, hand->within = a.withinPx;
  placed.hand = hand;
  edit::putTrack(s, placed);
  comp::RenderCache cache(size_t{1} << 30);
  estimate::Unread unread;
  const auto t = estimate::followTracker(s, id, outwards(s, a.frame), cache, {}, &unread);
  edit::putTrack(s, t);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  if (asJson)
    print(json{{"id", id},
               {"frames", t.length()},
               {"first", t.first},
               {"last", t.last()},
               {"weak", t.hand->weak},
               {"leftOut", leftOutOf(unread)}});
  else
    fmt::print("{}: on {} of {} frames{}{}\n", t.hand->name, t.length(), s.range.count(),
               t.hand->weak.empty()
                   ? ""
                   : fmt::format("; on {} it is not known within {:g} px", t.hand->weak.size(), t.hand->within),
               alsoSaid(unread));
  return 0;
}

/// "x,y x,y ..." as places. Throws Error.
std::vector<Vec2> placesFrom(const std::string& text) {
  std::vector<Vec2> out;
  std::istringstream in(text);
  for (std::string word; in >> word;) {
    double x = 0, y = 0;
    if (std::sscanf(word.c_str(), "%lf,%lf", &x, &y) != 2)
      throw Error("\"" + word + "\" is no place", "Write x,y in plate pixels, places apart by spaces");
    out.emplace_back(x, y);
  }
  return out;
}

int followRegion(const TrackArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  const int id = edit::addRegion(s, a.frame, placesFrom(a.outline), a.name);
  track::Region r = *shot::regionOf(s, id);
  r.freedom = named<track::Freedom>(a.freedom), r.travels = !a.stays;
  edit::putRegion(s, r);
  comp::RenderCache cache(size_t{1} << 30);
  estimate::Unread unread;
  r = estimate::followRegionOf(s, id, outwards(s, a.frame), cache, {}, &unread);
  edit::putRegion(s, r);
  if (a.asTracks) edit::useAsTracks(s, id);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  if (!a.pins.empty()) track::writePins(r, a.pins);
  double least = 1;
  for (const auto& [f, alike] : r.correlation) least = std::min(least, alike);
  if (asJson)
    print(json{{"id", id}, {"frames", r.motion.size()}, {"leastAlike", least}, {"leftOut", leftOutOf(unread)}});
  else
    fmt::print("{}: on {} of {} frames, alike by {:.3f} or more{}\n", r.name, r.motion.size(), s.range.count(), least,
               alsoSaid(unread));
  return 0;
}

int findTurns(const TrackArguments& a, bool asJson) {
  const auto file = std::filesystem::absolute(a.shot);
  const shot::Lock lock(file);
  shot::Shot s = shot::load(file);
  if (!a.from.empty()) {
    const int frames = edit::takeFlatCamera(s, std::filesystem::absolute(a.from));
    shot::save(s, a.out.empty() ? file : std::filesystem::absolute(a.out));
    if (asJson)
      print(json{{"frames", frames}, {"points", s.points->size()}});
    else
      fmt::print("{} frames and {} points from {}\n", frames, s.points->size(), a.from);
    return 0;
  }
  comp::RenderCache cache(size_t{1} << 30);
  estimate::Unread unread;
  const auto turns = estimate::turnsOf(s, cache, {}, &unread);
  edit::takeTurns(s, turns);
  shot::save(s, a.out.empty() ? file : std::filesystem::absolute(a.out));
  const double sigma = turns.at.rbegin()->second.sigmaDegrees;
  if (asJson)
    print(json{
        {"frames", turns.at.size()}, {"lost", turns.lost}, {"residualPx", turns.residualPx}, {"sigmaDegrees", sigma}});
  else
    fmt::print("{} frames; features agree to {:.2f} px; turned to within {:.2g} degrees (standard error){}{}\n",
               turns.at.size(), turns.residualPx, sigma,
               turns.lost.empty()
                   ? ""
                   : "; nothing is known of " + describeFrames(turns.lost) + " (missing, or too little is seen again)",
               alsoSaid(unread));
  return 0;
}

int solveThing(const TrackArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  if (!a.matte.empty()) {
    const auto it = std::find_if(s.mattes.begin(), s.mattes.end(),
                                 [&](const auto& m) { return m.id == a.matte || m.name == a.matte; });
    if (it == s.mattes.end())
      throw Error(fmt::format("there is no matte \"{}\"", a.matte), "Name one by its id or name");
    s.objectMatte = it->id;
  }
  if (a.distanceM > 0) s.objectDistanceM = a.distanceM;
  comp::RenderCache cache(size_t{1} << 30);
  Job job;
  const StopOnSignal stoppable(job);
  const auto answer = estimate::solveObject(s, cache, job);
  const std::string id = edit::takeObject(s, answer);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  if (asJson) {
    print(json{{"surface", id},
               {"frames", answer.places.size()},
               {"rmsPx", answer.rmsPx},
               {"tracks", answer.of},
               {"used", answer.used},
               {"remarks", answer.remarks}});
    return 0;
  }
  fmt::print("\"{}\" moves over {} frames, from {} of {} tracks: {:.3f} px RMS\n", s.surface(id)->name,
             answer.places.size(), answer.used, answer.of, answer.rmsPx);
  for (const auto& r : answer.remarks) fmt::print("note: {}\n", r);
  return 0;
}

using Add = std::function<CLI::App*(const char* name, const char* what, int (*command)(const TrackArguments&, bool))>;

void addSolves(const Add& add, const std::shared_ptr<TrackArguments>& a) {
  auto* s = add("solve", "the camera from the shot's tracks, saved into it", solveCamera);
  s->add_option("--task", a->task, "find, refine (the camera that is there) or check (it stays)");
  s->add_option("--kind", a->kind, "automatic, free, tripod or plane; otherwise as the shot asks");
  s->add_option("--focal", a->focal,
                "unknown, known (as the shot has it), about (near that) or zooming; otherwise as the shot asks");
  s->add_option("--about", a->aboutMm, "what the focal length is thought to be, mm")->check(CLI::Range(0.1, 10000.0));
  s->add_option("--sigma", a->focalSigmaMm, "its standard error, mm")->check(CLI::Range(0.01, 1000.0));
  s->add_option("--shutter", a->shutter, "rows are read: at once, known (over the time that the camera says), found");
  s->add_option("--readout", a->readout, "rows are read over this part of a frame's time, as is known")
      ->check(CLI::Range(-1.0, 1.0));
  s->add_flag("--pixel-aspect", a->pixelAspect, "find how wide the plate's pixels are over their height");
  s->add_flag("--lens-known", a->lensKnown, "believe the shot's lens and optical centre");
  add("turns", "how a 2:1 plate turned, saved into the shot as its camera", findTurns)
      ->add_option("--from", a->from,
                   "instead of looking: the camera of a flat view's plate (look --plate) that was solved");
  auto* thing = add("object", "the motion of an object in front of the camera, saved as a moving surface", solveThing);
  thing->add_option("--matte", a->matte, "it is inside this one, by id or name; otherwise all that moves");
  thing->add_option("--distance", a->distanceM, "metres from the camera on the first frame: its size follows")
      ->check(CLI::Range(1e-3, 1e5));
}

void addFollowed(const Add& add, const std::shared_ptr<TrackArguments>& a) {
  auto* h = add("tracker", "follow one place through the shot, saved into it as a tracker", followTracker);
  h->add_option("--frame", a->frame, "frame that the place is on")->required();
  h->add_option("--x", a->x, "its place, plate pixels from the left")->required();
  h->add_option("--y", a->y, "and from the top")->required();
  h->add_option("--name", a->name, "the tracker's name");
  h->add_option("--pattern", a->pattern, "width of its pattern, pixels")->check(CLI::Range(7, 201));
  h->add_option("--search", a->search, "looked for so many pixels about where it is expected")
      ->check(CLI::Range(2, 500));
  h->add_option("--max-error", a->withinPx, "a place is kept where it is known within so many pixels; 0: however it is")
      ->check(CLI::Range(0.0, 100.0));
  auto* r = add("region", "follow a plane through the shot, saved into it as a region", followRegion);
  r->add_option("--frame", a->frame, "frame that the outline is on")->required();
  r->add_option("--outline", a->outline, "its corners: \"x,y x,y x,y ...\", plate pixels")->required();
  r->add_option("--freedom", a->freedom, "translation, similarity, affine or perspective");
  r->add_option("--name", a->name, "the region's name");
  r->add_option("--pins", a->pins, "write its four corners, frame by frame, to this CSV");
  r->add_flag("--stays", a->stays, "it stays on screen while the texture moves below it");
  r->add_flag("--as-tracks", a->asTracks, "make tracks of it for the solve");
}

}  // namespace

void addTrackCommands(CLI::App& app, bool& asJson, std::function<int()>& run) {
  const auto a = std::make_shared<TrackArguments>();
  const Add add = [&](const char* name, const char* what, int (*command)(const TrackArguments&, bool)) {
    CLI::App* c = addCommand(app, name, what, a, command, asJson, run);
    c->add_option("shot", a->shot, "the .zentil file")->required();
    c->add_option("--out", a->out, "save as this shot instead");
    return c;
  };
  auto* t = add("track", "follow features through the shot, saved into it", follow);
  t->add_option("--count", a->count, "features wanted on every frame");
  addSolves(add, a);
  addFollowed(add, a);
}

}  // namespace zentil::batch
