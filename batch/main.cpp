// zentil-batch: what the application does, without a window.
#include <CLI/CLI.hpp>
#include <atomic>
#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/camera_commands.h"
#include "batch/command.h"
#include "batch/lens_commands.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/base/median.h"
#include "core/base/stop_on_signal.h"
#include "core/comp/beyond.h"
#include "core/edit/edits.h"
#include "core/edit/flat_view.h"
#include "core/edit/new_shot.h"
#include "core/exchange/export_choices.h"
#include "core/exchange/write.h"
#include "core/lens/pixel_maps.h"
#include "core/measure/best_frame.h"
#include "core/measure/blend.h"
#include "core/measure/slip.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace fs = std::filesystem;
using nlohmann::json;
using namespace zentil;

std::vector<int> batch::framesOf(const shot::Shot& s, const std::string& text) {
  if (!text.empty()) return parseFrames(text);
  shot::requireWorkable(s.range);
  std::vector<int> out;
  for (int f = s.range.first; f <= s.range.last; ++f) out.push_back(f);
  return out;
}

void batch::print(const json& j) { std::cout << j.dump(1, ' ', false, json::error_handler_t::replace) << "\n"; }

namespace {

/// How a command ends (README lists them).
constexpr int kDone = 0, kProblems = 1, kFailed = 2, kStopped = 3, kUsage = 64;

struct Arguments {
  std::string shot, frames, out, element, edits;
  bool json = false, decode = false, elsewhere = false, sits = false;
  output::DeliveryWish wish;
  edit::NewShotFiles files;
  size_t budgetMb = 1500;
  std::optional<double> yaw, pitch, roll, fov;
  bool asPlate = false;
  int held = 0;
  bool sphere = false;
  std::string fields;
  std::string size;
};

std::string kindOf(const element::Element& e) {
  return std::visit([](const auto& source) { return source.kKind; }, e.source);
}

int info(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  if (a.json) {
    json elements = json::array();
    for (const auto& e : s.elements)
      elements.push_back({{"id", e.id},
                          {"name", e.name},
                          {"kind", kindOf(e)},
                          {"on", e.on},
                          {"recipe", wording::textOf(wording::recipeOf(s, e, s.range.first))}});
    batch::print(json{{"name", s.name},
                      {"plate", s.plate().pattern},
                      {"range", {s.range.first, s.range.last}},
                      {"fps", s.plate().fps},
                      {"width", s.width},
                      {"height", s.height},
                      {"colourSpace", s.plate().colourSpace},
                      {"missing", s.plate().missing},
                      {"cameraFrames", s.camera->poses.size()},
                      {"points", s.points->size()},
                      {"surfaces", s.surfaces.size()},
                      {"elements", elements},
                      {"deliver", s.delivery.pattern}});
    return 0;
  }
  fmt::print("{}\n  plate    {}\n           {} x {}, frames {}-{} at {:g} fps, {}\n", s.name, s.plate().pattern,
             s.width, s.height, s.range.first, s.range.last, s.plate().fps, s.plate().colourSpace);
  if (s.lens.maps)
    fmt::print("  lens     ST maps {} {}\n", s.lens.maps->undistortFile, s.lens.maps->redistortFile);
  else
    fmt::print("  lens     {} k1 {:g} k2 {:g} k3 {:g} p1 {:g} p2 {:g}, {} keys\n", nameOf(s.lens.model), s.lens.k1,
               s.lens.k2, s.lens.k3, s.lens.p1, s.lens.p2, s.lens.keys.all().size());
  if (!s.camera->empty())
    fmt::print("  camera   {} frames, film back {:g} x {:g} mm\n", s.camera->poses.size(), s.camera->backWidthMm,
               s.camera->backHeightMm);
  fmt::print("  set      {} points, {} surfaces\n", s.points->size(), s.surfaces.size());
  for (const auto& e : s.elements)
    fmt::print("  {} {}: {}\n", e.on ? "+" : "-", e.name, wording::textOf(wording::recipeOf(s, e, s.range.first)));
  fmt::print("  deliver  {}\n", s.delivery.pattern);
  return 0;
}

int check(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  auto problems = shot::problemsOf(s, a.decode);
  if (a.decode) {
    comp::RenderCache cache(size_t{1} << 30);
    const auto evaluator = evaluate::ShotEvaluator::of(s);
    for (const auto& e : s.elements)
      if (e.on)
        if (const auto words = comp::wordsForUnseen(
                *evaluator, e.id, e.name, e.range.count() ? overlap(e.range, s.range) : s.range, cache, Job());
            !words.empty())
          problems.push_back({words, false});
  }
  try {
    for (const auto& what : exchange::changedSince(s, exchange::exportFolder(s, a.shot)))
      problems.push_back(
          {fmt::format("{} changed since the export: the files in {} are out of date", what, s.exportSettings.folder),
           false});
  } catch (const Error& e) {
    problems.push_back({e.what(), false});
  }
  bool grave = false;
  json list = json::array();
  for (const auto& p : problems) {
    grave |= p.grave;
    list.push_back({{"problem", p.text}, {"grave", p.grave}});
    if (!a.json) fmt::print("{}: {}\n", p.grave ? "problem" : "note", p.text);
  }
  if (a.json)
    batch::print(json{{"ok", !grave}, {"problems", list}});
  else if (problems.empty())
    fmt::print("{}: nothing wrong\n", s.name);
  return grave ? kProblems : kDone;
}

int deliver(const Arguments& a) {
  shot::Shot s = shot::load(a.shot);
  if (!a.out.empty()) s.delivery.pattern = (fs::absolute(a.out) / fs::path(s.delivery.pattern).filename()).string();
  const std::vector<int> frames = batch::framesOf(s, a.frames);
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
    batch::print(json{{"written", report.written},
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
    batch::print(json{{"shot", s.name}, {"elements", all}});
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
  const std::vector<int> targets = batch::framesOf(s, a.frames);
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
  if (a.json) batch::print(json{{"element", e->id}, {"targets", all}});
  return 0;
}

int look(const Arguments& a) {
  const shot::Shot s = shot::load(a.shot);
  // As the shot says, but for what is said here.
  auto views = edit::flatViewsOf(s, batch::framesOf(s, a.frames));
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
      batch::print(json{{"frames", views.steers.size()}, {"shot", file.string()}});
    else
      fmt::print("{} frames: {}\n", views.steers.size(), file.string());
    return 0;
  }
  const auto files = output::writeFlatViews(*evaluate::ShotEvaluator::of(s), views, folder, cache, job);
  json list = json::array();
  for (const auto& f : files) list.push_back(f.string());
  if (a.json)
    batch::print(json{{"files", list}});
  else
    for (const auto& f : files) fmt::print("{}\n", f.string());
  return 0;
}

int editShot(const Arguments& a) {
  const fs::path file = fs::absolute(a.shot);
  const shot::Lock lock(file);
  shot::Shot s = shot::load(file);
  const json edits = readJson(a.edits);
  comp::RenderCache cache(a.budgetMb << 20);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  json answers;
  try {
    answers = edit::apply(s, edits, {cache, fs::absolute(a.edits).parent_path()});
  } catch (const Error& e) {
    throw Error(fmt::format("{}: {}", a.edits, e.problem()), e.remedy());
  }
  shot::save(s, a.out.empty() ? file : fs::absolute(a.out));
  if (a.json)
    batch::print(json{{"answers", answers}});
  else
    for (size_t i = 0; i < answers.size(); ++i)
      if (!answers[i].is_null()) fmt::print("{}: {}\n", i + 1, answers[i].dump());
  return 0;
}

int make(const Arguments& a) {
  const fs::path file = fs::absolute(a.shot);
  if (std::error_code ec; fs::exists(file, ec))
    throw Error(fmt::format("{}: is there already", file.string()), "Choose another name, or remove it first");
  shot::Shot s;
  if (!a.size.empty()) {
    int width = 0, height = 0;
    if (std::sscanf(a.size.c_str(), "%dx%d", &width, &height) != 2)
      throw Error(fmt::format("\"{}\" is no size", a.size), "Write it as 1920x1080");
    if (!a.files.plate.empty()) throw Error("a shot has a plate or is blank, not both", "Leave one out");
    s = edit::blankShot(file.parent_path(), width, height, a.held > 0 ? a.held : 100, a.files.fps);
  } else if (a.files.plate.empty()) {
    throw Error("there is no plate", "Name one by --plate, or make it blank by --blank");
  } else {
    s = edit::newShot(a.files);
    if (a.held > 0) edit::holdStill(s, a.held);
    if (!a.fields.empty()) edit::useFields(s, named<image::Fields>(a.fields));
    if (a.sphere) s.projection = shot::Projection::Sphere;
  }
  std::string question = shot::sphereQuestion(s);
  if (!question.empty()) question += " If it shows all around, give --sphere.";
  if (const std::string fields = shot::fieldsQuestion(s); !fields.empty())
    question = fmt::format("{} Give --fields \"{}\" to use fields as frames.", fields, nameOf(s.plate().fieldsSaid));
  edit::deliverBeside(s, file);
  s.name = file.stem().string();
  shot::save(s, file);
  if (a.json)
    batch::print(json{{"shot", file.string()},
                      {"range", {s.range.first, s.range.last}},
                      {"projection", nameOf(s.projection)},
                      {"notes", question.empty() ? json::array() : json::array({question})}});
  else
    fmt::print("{}: {} frames, {} x {}\n{}", file.string(), s.range.count(), s.width, s.height,
               question.empty() ? "" : question + "\n");
  return 0;
}

}  // namespace

namespace {

/// Words of earlier versions, and what they are now.
constexpr std::pair<std::string_view, std::string_view> kRenamed[] = {
    {"hand-on", "export"}, {"--away", "--distance"}, {"--give", "--sigma"}, {"--within", "--max-error"}};

}  // namespace

int main(int argc, char** argv) {
  for (int i = 1; i < argc; ++i)
    for (const auto& [old, now] : kRenamed)
      if (argv[i] == old) {
        fmt::print(stderr, "zentil-batch: {} is {} now\n", old, now);
        return 2;
      }
  CLI::App app{"Zentil without a window: look at, check, build and measure shots."};
  app.require_subcommand(1);
  Arguments a;
  const auto shared = [&](CLI::App* c) {
    c->add_option("shot", a.shot, "the .zentil file")->required();
    c->add_flag("--json", a.json, "print JSON");
    c->add_option("--memory", a.budgetMb, "cache budget, MB");
    return c;
  };
  auto* i = shared(app.add_subcommand("info", "what the shot holds"));
  auto* c = shared(app.add_subcommand("check", "every problem in words; exit code 1 if work cannot go on"));
  c->add_flag("--decode", a.decode, "also decode every frame");
  auto* b = shared(app.add_subcommand("build", "deliver frames"));
  b->add_option("--frames", a.frames, "1001-1072, 1001-1072x4 or 1040; several machines can share a shot this way");
  b->add_option("--out", a.out, "folder; otherwise where the shot says");
  b->add_flag("--overwrite", a.wish.overwrite, "replace files there that Zentil did not write");
  b->add_flag("--elsewhere", a.elsewhere, "deliver to a place outside the shot's own folder");
  b->add_flag("--in-spite", a.wish.inSpite, "deliver in spite of what check calls a problem; the files say so");
  auto* s = shared(app.add_subcommand("slip", "how far each element moves against the plate"));
  s->add_option("--element", a.element, "only this one, by id or name");
  s->add_flag("--sits", a.sits, "also how it matches: the step along its edge, its finest grain against the plate's");
  auto* e =
      shared(app.add_subcommand("edit", "changes a shot by a JSON list of edits, the window's own (docs/edits.md)"));
  e->add_option("edits", a.edits, "the JSON file")->required();
  e->add_option("--out", a.out, "another shot file to write; otherwise the shot's own");
  auto* w = shared(app.add_subcommand("frames", "which frame is the best source for a patch"));
  w->add_option("--element", a.element, "the patch, by id or name")->required();
  w->add_option("--frames", a.frames, "frames that it is wanted on, as for build");
  auto* k = shared(app.add_subcommand("look", "flat views steered out of a 2:1 plate"));
  k->add_option("--yaw", a.yaw, "degrees to the right; otherwise as the shot's flat view, as all of these");
  k->add_option("--pitch", a.pitch, "degrees up");
  k->add_option("--roll", a.roll, "degrees clockwise");
  k->add_option("--fov", a.fov, "degrees across")->check(CLI::Range(1.0, 175.0));
  k->add_option("--size", a.size, "width x height, pixels");
  k->add_flag(
      "--plate", a.asPlate,
      "as a plate of its own, with a shot that knows its field of view; solved, its camera is put back by turns "
      "--from");
  k->add_option("--frames", a.frames, "as for build");
  k->add_option("--out", a.out, "folder; otherwise here");
  std::function<int()> other;
  batch::addLensCommands(app, a.json, other);
  batch::addCameraCommands(app, a.json, other);
  auto* n = shared(app.add_subcommand("new", "a shot from plate, camera and lens files"));
  n->add_option("--plate", a.files.plate, "a frame of the sequence, a movie, or one picture");
  n->add_option("--blank", a.size, "WIDTHxHEIGHT instead of a plate: a transparent picture, written beside the shot");
  n->add_flag("--sphere", a.sphere, "the plate shows all around, 2:1");
  n->add_option("--fields", a.fields, "an interlaced plate's fields as frames: \"upper first\" or \"lower first\"");
  n->add_option("--held", a.held, "frames that one picture, or a blank one, is held for")
      ->check(CLI::Range(1, 1000000));
  n->add_option("--camera", a.files.camera, "CSV or glTF");
  n->add_option("--lens", a.files.lens, "JSON, or OpenCV YAML/XML");
  n->add_option("--points", a.files.points, "PLY or glTF");
  n->add_option("--fps", a.files.fps, "frame rate, where the files do not say");
  const auto fail = [&](const std::string& what, int code) {
    if (a.json) batch::print(json{{"error", what}});
    // Not by fmt, which throws where nothing can be written.
    std::fputs(("zentil-batch: " + what + "\n").c_str(), stderr);
    return code;
  };
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);  // help was asked for
    a.json = a.json || std::any_of(argv, argv + argc, [](const char* x) { return std::string_view(x) == "--json"; });
    return fail(fmt::format("{} (--help lists what there is)", e.what()), kUsage);
  }
  const auto run = [&] {
    if (i->parsed()) return info(a);
    if (c->parsed()) return check(a);
    if (e->parsed()) return editShot(a);
    if (k->parsed()) return look(a);
    if (w->parsed()) return frames(a);
    if (b->parsed()) return deliver(a);
    if (other) return other();
    if (s->parsed()) return slip(a);
    return make(a);
  };
  try {
    const int code = run();
    std::cout.flush();
    if (std::fflush(stdout) != 0 || !std::cout || std::ferror(stdout))
      return fail("what was found could not be written out (is the disk full?)", kFailed);
    return code;
  } catch (const std::exception& e) {
    return fail(e.what(), kFailed);
  }
}
