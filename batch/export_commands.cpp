#include "batch/export_commands.h"

#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/stop_on_signal.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/export_choices.h"
#include "core/exchange/write.h"
#include "core/output/layers.h"
#include "core/output/mattes.h"
#include "core/output/reprojected_frame.h"
#include "core/output/shapes.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

using nlohmann::json;

namespace zentil::batch {
namespace {

struct ExportArguments {
  std::string shot, out, as, keepAs, matte, element, frames;
  int frame = 0, with = 0;
  bool cutouts = false, shapes = false;
};

/// Where a shot hands on into. Throws Error for a place outside its folder that nobody was asked about.
std::filesystem::path exportFolderOf(const ExportArguments& a, const shot::Shot& s) {
  const auto own = std::filesystem::absolute(a.shot).parent_path().lexically_normal();
  auto folder =
      (a.out.empty() ? exchange::exportFolder(s, a.shot) : std::filesystem::absolute(a.out)).lexically_normal();
  // A shot from somebody else may name any place; whoever gives --out has been asked.
  if (a.out.empty() && !liesWithin(folder, own))
    throw Error(fmt::format("the shot exports into {}, outside its own folder", folder.string()), "Say so with --out");
  return folder;
}

int mattes(const ExportArguments& a, bool asJson) {
  const shot::Shot s = shot::load(a.shot);
  std::vector<output::MatteWish> wish;
  for (const auto& m : s.mattes)
    if (a.matte.empty() || m.id == a.matte || m.name == a.matte) wish.push_back({m.id, m.name});
  if (wish.empty() && !a.matte.empty())
    throw Error(fmt::format("there is no matte \"{}\"", a.matte), "Name one by its id or name");
  comp::RenderCache cache(kCommandBudget);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  Job job;
  const StopOnSignal stoppable(job);
  if (a.shapes) {
    const auto written = output::writeShapes(*evaluate::ShotEvaluator::of(s), wish, framesOf(s, a.frames),
                                             exportFolderOf(a, s), cache, job);
    if (asJson)
      print(json{{"files", written.files.size()}, {"notes", written.notes}});
    else
      fmt::print("{} files of shapes of {} mattes\n", written.files.size(), wish.size());
    if (!asJson)
      for (const auto& n : written.notes) fmt::print("note: {}\n", n);
    return 0;
  }
  const auto files =
      output::writeMattes(*evaluate::ShotEvaluator::of(s), wish, a.cutouts, s.exportSettings.shutterDegrees,
                          framesOf(s, a.frames), exportFolderOf(a, s), cache, job);
  json list = json::array();
  for (const auto& f : files) list.push_back(f.string());
  if (asJson)
    print(json{{"files", list}});
  else
    fmt::print("{} pictures of {} mattes in {}\n", files.size(), wish.size(), files[0].parent_path().string());
  return 0;
}

int layers(const ExportArguments& a, bool asJson) {
  const shot::Shot s = shot::load(a.shot);
  std::vector<std::string> wish;
  for (const auto& e : s.elements)
    if (!a.element.empty() && (e.id == a.element || e.name == a.element)) wish.push_back(e.id);
  if (wish.empty() && !a.element.empty())
    throw Error(fmt::format("there is no element \"{}\"", a.element), "Name one by its id or name");
  comp::RenderCache cache(kCommandBudget);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  Job job;
  const StopOnSignal stoppable(job);
  std::vector<std::string> flat;
  const auto files = output::writeLayers(*evaluate::ShotEvaluator::of(s), wish, framesOf(s, a.frames),
                                         exportFolderOf(a, s), cache, job, &flat);
  json list = json::array();
  for (const auto& f : files) list.push_back(f.string());
  if (asJson) {
    print(json{{"files", list}, {"withoutDepth", flat}});
    return 0;
  }
  fmt::print("{} pictures of layers in {}\n", files.size(), files[0].parent_path().string());
  for (const auto& name : flat) fmt::print("note: \"{}\" has no place in the set, so no depth\n", name);
  return 0;
}

int compare(const ExportArguments& a, bool asJson) {
  const shot::Shot s = shot::load(a.shot);
  const auto file = std::filesystem::absolute(a.out);
  comp::RenderCache cache(kCommandBudget);
  cache.setKeptFolder(comp::keptFolderFor(a.shot));
  const double part = output::writeOtherFrame(*evaluate::ShotEvaluator::of(s), a.frame, a.with, file, cache);
  if (asJson)
    print(json{{"file", file.string()}, {"shown", part}});
  else
    fmt::print("{}: frame {} shows {:.0f}% of frame {}'s picture\n", file.string(), a.with, 100 * part, a.frame);
  return 0;
}

int exportShot(const ExportArguments& a, bool asJson) {
  shot::Shot s = shot::load(a.shot);
  if (!a.as.empty()) edit::setWord(s, "exportSettings.as", a.as, s.range.first);
  if (!a.keepAs.empty()) exchange::keepExportChoices(a.keepAs, s.exportSettings);
  const auto written = exchange::exportShot(s, exportFolderOf(a, s));
  if (asJson) {
    json files = json::array();
    for (const auto& f : written.files) files.push_back(f.string());
    print(json{{"files", files}, {"notes", written.notes}});
    return 0;
  }
  for (const auto& f : written.files) fmt::print("{}\n", f.string());
  for (const auto& n : written.notes) fmt::print("note: {}\n", n);
  return 0;
}

}  // namespace

void addExportCommands(CLI::App& app, bool& asJson, std::function<int()>& run) {
  const auto a = std::make_shared<ExportArguments>();
  auto* out =
      addCommand(app, "export", "camera, set and spots for other programs: glTF, USD, COLLADA, CSV, PLY, OBJ, JSON", a,
                 exportShot, asJson, run);
  out->add_option("shot", a->shot, "the .zentil file")->required();
  out->add_option("--out", a->out, "folder; otherwise where the shot says");
  out->add_option("--as", a->as, "by choices that are kept under this name, instead of the shot's");
  out->add_option("--keep-as", a->keepAs, "keeps the choices under this name, for all shots");
  auto* cut = addCommand(app, "mattes", "the shot's mattes as pictures, and what they cut out of the plate", a, mattes,
                         asJson, run);
  cut->add_option("shot", a->shot, "the .zentil file")->required();
  cut->add_option("--matte", a->matte, "only this one, by id or name");
  cut->add_option("--frames", a->frames, "1001-1072 or 1040; otherwise all");
  cut->add_flag("--shapes", a->shapes, "as shapes (SVG a frame, and JSON) instead of pictures");
  cut->add_flag("--cutouts", a->cutouts, "also the plate inside each, premultiplied");
  cut->add_option("--out", a->out, "folder; otherwise the shot's own export folder");
  auto* single =
      addCommand(app, "layers", "every element as a layer of its own, with depth and motion", a, layers, asJson, run);
  single->add_option("shot", a->shot, "the .zentil file")->required();
  single->add_option("--element", a->element, "only this one, by id or name");
  single->add_option("--frames", a->frames, "1001-1072 or 1040; otherwise all");
  single->add_option("--out", a->out, "folder; otherwise the shot's own export folder");
  auto* by = addCommand(app, "compare", "another frame reprojected through the set into one frame's camera", a, compare,
                        asJson, run);
  by->add_option("shot", a->shot, "the .zentil file")->required();
  by->add_option("--frame", a->frame, "the frame that is looked at, like the last")->required();
  by->add_option("--with", a->with, "the frame that is brought there, like the first")->required();
  by->add_option("--out", a->out, "the picture, with alpha: x.exr")->required();
}

}  // namespace zentil::batch
