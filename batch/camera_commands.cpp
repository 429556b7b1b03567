#include "batch/camera_commands.h"

#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/build/tracking.h"
#include "core/shot/shot_json.h"

using nlohmann::json;

namespace zentil::batch {
namespace {

struct Arguments {
  std::string shot, out;
  int count = 0;
  bool lensKnown = false;
  std::string kind = "automatic", focal = "unknown";
};

int follow(const Arguments& a, bool asJson) {
  shot::Shot s = shot::load(a.shot);
  if (a.count > 0) s.follow.count = a.count;
  build::Workshop workshop(size_t{1} << 30);
  const auto tracks = build::followShot(s, workshop);
  s.tracks = std::make_shared<track::Tracks>(tracks);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  int places = 0, least = static_cast<int>(tracks.size());
  for (const auto& t : tracks) places += t.length();
  for (int f = s.range.first; f <= s.range.last; ++f) least = std::min(least, track::countOn(tracks, f));
  if (asJson)
    std::cout << json{{"tracks", tracks.size()}, {"places", places}, {"leastOnAFrame", least}}.dump(1) << "\n";
  else
    fmt::print("{} tracks, {} places, {} or more on every frame\n", tracks.size(), places, least);
  return 0;
}

int solveCamera(const Arguments& a, bool asJson) {
  shot::Shot s = shot::load(a.shot);
  s.ask.kind = solve::kindFrom(a.kind), s.ask.focal = solve::focalFrom(a.focal);
  if (a.lensKnown)
    s.ask.k1 = s.ask.k2 = s.ask.centre = false;
  else
    s.lens = {};
  const auto answer =
      solve::solve(*s.tracks, s.range, s.plate.width, s.plate.height, *s.camera, s.lens.at(s.range.first), s.ask);
  shot::takeSolve(s, answer);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  const auto& e = answer.errors;
  const auto used = std::count_if(e.tracks.begin(), e.tracks.end(), [](const auto& t) { return t.used(); });
  const auto count = [&](solve::Verdict v) {
    return std::count_if(e.tracks.begin(), e.tracks.end(), [&](const auto& t) { return t.verdict == v; });
  };
  if (asJson) {
    std::cout << json{{"rmsPx", e.rmsPx},
                      {"kind", solve::nameOf(e.kind)},
                      {"why", e.why},
                      {"frames", answer.camera.poses.size()},
                      {"tracks", e.tracks.size()},
                      {"used", used},
                      {"sliding", count(solve::Verdict::Slides)},
                      {"moving", count(solve::Verdict::Moves)},
                      {"focalMm", answer.camera.focalMm},
                      {"centreOffsetPx", {answer.camera.centreOffsetPx.x(), answer.camera.centreOffsetPx.y()}},
                      {"k1", answer.lens.k1},
                      {"k2", answer.lens.k2},
                      {"remarks", e.remarks}}
                     .dump(1)
              << "\n";
    return 0;
  }
  fmt::print("{} of {} frames solved from {} of {} tracks: {:.3f} px RMS\n", answer.camera.poses.size(),
             s.range.count(), used, e.tracks.size(), e.rmsPx);
  fmt::print("focal length {:.3f} mm on a film back of {:g} mm, centre {:+.2f}, {:+.2f} px, k1 {:.4f}, k2 {:.4f}\n",
             answer.camera.focalMm, answer.camera.backWidthMm, answer.camera.centreOffsetPx.x(),
             answer.camera.centreOffsetPx.y(), answer.lens.k1, answer.lens.k2);
  for (const auto& r : e.remarks) fmt::print("note: {}\n", r);
  return 0;
}

}  // namespace

void addCameraCommands(CLI::App& app, bool& asJson, std::function<int()>& run) {
  const auto a = std::make_shared<Arguments>();
  const auto add = [&](const char* name, const char* what, int (*command)(const Arguments&, bool)) {
    CLI::App* c = addCommand(app, name, what, a, command, asJson, run);
    c->add_option("shot", a->shot, "the .zentil file")->required();
    c->add_option("--out", a->out, "save as this shot instead");
    return c;
  };
  auto* t = add("track", "follow features through the shot, saved into it", follow);
  t->add_option("--count", a->count, "features wanted on every frame");
  auto* s = add("solve", "the camera from the shot's tracks, saved into it", solveCamera);
  s->add_option("--kind", a->kind, "automatic, free or tripod");
  s->add_option("--focal", a->focal, "unknown, known (as the shot has it) or zooming");
  s->add_flag("--lens-known", a->lensKnown, "believe the shot's lens and optical centre");
}

}  // namespace zentil::batch
