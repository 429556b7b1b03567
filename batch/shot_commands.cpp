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

std::string kindOf(const element::Element& e) {
  return std::visit([](const auto& source) { return source.kKind; }, e.source);
}

}  // namespace

std::vector<int> framesOf(const shot::Shot& s, const std::string& text) {
  if (!text.empty()) return parseFrames(text);
  shot::requireWorkable(s.range);
  std::vector<int> out;
  for (int f = s.range.first; f <= s.range.last; ++f) out.push_back(f);
  return out;
}

void print(const json& j) { std::cout << j.dump(1, ' ', false, json::error_handler_t::replace) << "\n"; }

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
    print(json{{"name", s.name},
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
    print(json{{"ok", !grave}, {"problems", list}});
  else if (problems.empty())
    fmt::print("{}: nothing wrong\n", s.name);
  return grave ? kProblems : kDone;
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
    print(json{{"answers", answers}});
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
    print(json{{"shot", file.string()},
               {"range", {s.range.first, s.range.last}},
               {"projection", nameOf(s.projection)},
               {"notes", question.empty() ? json::array() : json::array({question})}});
  else
    fmt::print("{}: {} frames, {} x {}\n{}", file.string(), s.range.count(), s.width, s.height,
               question.empty() ? "" : question + "\n");
  return 0;
}

}  // namespace zentil::batch
