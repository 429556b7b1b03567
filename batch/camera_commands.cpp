#include "batch/camera_commands.h"

#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/stop_on_signal.h"
#include "core/edit/move.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/steadied_plate.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

using nlohmann::json;

namespace zentil::batch {
namespace {

struct CameraArguments {
  std::string shot, out, from, frames;
  double speed = 1, scale = 1, turnDegrees = 0, smooth = 0;
  int frame = 0, easeIn = 0, easeOut = 0;
  bool middle = false, maps = false;
};

int moveElsewhere(const CameraArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  edit::takeMove(s, a.from);
  auto& m = s.move;
  if (a.frame) m.at = a.frame;
  if (!a.frames.empty() && std::sscanf(a.frames.c_str(), "%d-%d", &m.part.first, &m.part.last) != 2)
    throw Error(fmt::format("\"{}\" is no part of a move", a.frames), "Write it as 1001-1072");
  m.speed = a.speed, m.scale = a.scale, m.turnDegrees = a.turnDegrees, m.smoothFrames = a.smooth;
  m.easeIn = a.easeIn, m.easeOut = a.easeOut;
  if (a.middle) m.begins = camera::Begins::AtMiddle;
  edit::useMove(s);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  if (asJson)
    print(json{{"name", m.name}, {"frames", s.camera->poses.size()}, {"lasts", camera::lasts(m)}});
  else
    fmt::print("{}\n", wording::textOf(wording::moveRecipe(s, s.range.first)));
  return 0;
}

int steadyShot(const CameraArguments& a, bool asJson) {
  const auto file = std::filesystem::absolute(a.shot);
  const shot::Shot s = shot::load(file);
  comp::RenderCache cache(kCommandBudget);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  const auto path = steady::pathOf(s);
  const auto folder = a.out.empty() ? file.parent_path() / "steady" : std::filesystem::absolute(a.out);
  if (a.maps) {
    const auto files = exchange::writeStabilisationMaps(s, folder);
    if (asJson)
      print(json{{"enlarged", path.enlarged}, {"files", files.size()}});
    else
      fmt::print("{} ST maps in {}\n", files.size(), folder.string());
    return 0;
  }
  const auto written = exchange::writeSteadiedPlate(s, folder, cache);
  if (asJson)
    print(json{{"enlarged", path.enlarged},
               {"frames", written.pictures.size()},
               {"shot", written.shot.string()},
               {"unseen", written.unseen},
               {"unseenOn", written.unseenOn}});
  else
    fmt::print("{} frames, enlarged by {:.2f}%{}: {}\n", written.pictures.size(), 100 * (path.enlarged - 1),
               path.through.empty() ? "" : ", without a camera (none sees a plane so)", written.shot.string());
  if (!asJson && written.unseen > 0)
    fmt::print("note: up to {:.2f}% of a picture is shown by no frame and stays transparent (frame {})\n",
               100 * written.unseen, written.unseenOn);
  return 0;
}

}  // namespace

void addCameraCommands(CLI::App& app, bool& asJson, std::function<int()>& run) {
  const auto a = std::make_shared<CameraArguments>();
  auto* move = addCommand(app, "move", "the move of another shot, or of a camera's file, as this shot's camera", a,
                          moveElsewhere, asJson, run);
  move->add_option("shot", a->shot, "the .zentil file")->required();
  move->add_option("--out", a->out, "save as this shot instead");
  move->add_option("of", a->from, "a .zentil file, glTF, USD, COLLADA, CSV or JSON")->required();
  move->add_option("--at", a->frame, "frame of this shot on which it begins; otherwise the first");
  move->add_option("--part", a->frames, "frames of it that are used, 1001-1072; otherwise all");
  move->add_option("--speed", a->speed, "1 is as it was")->check(CLI::Range(0.001, 1000.0));
  move->add_option("--ease-in", a->easeIn, "frames in which it comes to its speed")->check(CLI::Range(0, 10000));
  move->add_option("--ease-out", a->easeOut, "frames in which it comes to rest")->check(CLI::Range(0, 10000));
  move->add_option("--smooth", a->smooth, "frames that it is smoothed over")->check(CLI::Range(0.0, 1000.0));
  move->add_option("--turn", a->turnDegrees, "degrees about the up axis");
  move->add_option("--scale", a->scale, "of its travel")->check(CLI::Range(1e-6, 1e6));
  move->add_flag("--middle", a->middle, "it begins at the world's middle, looking ahead");
  auto* still = addCommand(app, "steady", "the picture steadied, and a shot with the camera and tracks that match it",
                           a, steadyShot, asJson, run);
  still->add_option("shot", a->shot, "the .zentil file")->required();
  still->add_option("--out", a->out, "folder; otherwise steady beside the shot");
  still->add_flag("--maps", a->maps, "the stabilisation as ST maps instead");
}

}  // namespace zentil::batch
