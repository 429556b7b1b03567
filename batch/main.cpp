// zentil-batch: what the application does, without a window.
#include <CLI/CLI.hpp>
#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/camera_commands.h"
#include "batch/command.h"
#include "batch/export_commands.h"
#include "batch/lens_commands.h"
#include "batch/shot_commands.h"
#include "batch/track_commands.h"

using nlohmann::json;
using namespace zentil;
using namespace zentil::batch;

namespace {

/// Words of earlier versions, and what they are now.
constexpr std::pair<std::string_view, std::string_view> kRenamed[] = {
    {"hand-on", "export"}, {"--away", "--distance"}, {"--give", "--sigma"}, {"--within", "--max-error"}};

/// All commands, each with its options; returns what runs the one that was asked for.
std::function<int()> addCommands(CLI::App& app, Arguments& a) {
  const auto shared = [&a](CLI::App* c) {
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
  const auto other = std::make_shared<std::function<int()>>();
  addLensCommands(app, a.json, *other);
  addTrackCommands(app, a.json, *other);
  addCameraCommands(app, a.json, *other);
  addExportCommands(app, a.json, *other);
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
  return [=, &a]() -> int {
    if (i->parsed()) return info(a);
    if (c->parsed()) return check(a);
    if (e->parsed()) return editShot(a);
    if (k->parsed()) return look(a);
    if (w->parsed()) return frames(a);
    if (b->parsed()) return deliver(a);
    if (*other) return (*other)();
    if (s->parsed()) return slip(a);
    return make(a);
  };
}

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
  const auto run = addCommands(app, a);
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
