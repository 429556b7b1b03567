#include "batch/lens_commands.h"

#include <iostream>
#include <nlohmann/json.hpp>

#include "batch/command.h"
#include "core/base/error.h"
#include "core/edit/lens.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/lens/board.h"
#include "core/lens/lens_file.h"
#include "core/lens/lens_library.h"
#include "core/lens/st_maps.h"
#include "core/output/lens_files.h"
#include "core/output/straight_plates.h"
#include "core/shot/shot_json.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::batch {
namespace {

struct LensArguments {
  std::string shot, out, frames, board, name;
  std::vector<std::string> pictures;
  lens::StMapFiles maps;
  bool top = false, rectangular = false;
  std::string straightSize;
};

/// "1330x748": two whole numbers.
std::pair<int, int> sizeFrom(const std::string& text) {
  int w = 0, h = 0;
  if (std::sscanf(text.c_str(), "%dx%d", &w, &h) != 2 || w < 1 || h < 1)
    throw Error(fmt::format("\"{}\" is no size", text), "Write it as 9x6");
  return {w, h};
}

int lensFiles(const LensArguments& a, bool asJson) {
  const shot::Shot s = shot::load(a.shot);
  const auto files = output::writeLensFiles(
      *evaluate::ShotEvaluator::of(s), s.lens, a.frames.empty() ? s.range.first : parseFrames(a.frames).front(),
      fs::absolute(a.out.empty() ? "." : a.out), a.top ? output::Origin::Top : output::Origin::Bottom);
  const Box box = evaluate::overscan(s, s.overscan);
  if (asJson) {
    json list = json::array();
    for (const auto& f : files) list.push_back(f.string());
    print(json{{"straight", {box.width(), box.height()}}, {"files", list}});
    return 0;
  }
  fmt::print("straight, with overscan: {} x {}\n", box.width(), box.height());
  for (const auto& f : files) fmt::print("{}\n", f.string());
  return 0;
}

int calibrate(const LensArguments& a, bool asJson) {
  lens::BoardSettings question;
  if (!a.board.empty()) std::tie(question.columns, question.rows) = sizeFrom(a.board);
  question.squarePixels = !a.rectangular;
  const auto answer = lens::calibrate(std::vector<fs::path>(a.pictures.begin(), a.pictures.end()), question);
  const auto& l = answer.lens;
  if (!a.out.empty()) {
    if (fs::path(a.out).extension() == ".json")
      lens::writeLens(a.out, l.lens);
    else
      lens::writeLensForOpenCv(a.out, l, answer.width, answer.height);
  }
  if (asJson) {
    json pictures = json::array();
    for (const auto& p : answer.pictures)
      pictures.push_back({{"file", p.board.file},
                          {"columns", p.board.columns},
                          {"rows", p.board.rows},
                          {"used", p.used},
                          {"rmsPx", p.rmsPx},
                          {"problem", p.problem}});
    print(json{{"width", answer.width},
               {"height", answer.height},
               {"focalPx", {l.fx, l.fy}},
               {"focalSigmaPx", answer.focalSigma},
               {"centrePx", {l.cx, l.cy}},
               {"centreSigmaPx", {answer.centreSigma.x(), answer.centreSigma.y()}},
               {"k1k2k3p1p2", {l.lens.k1, l.lens.k2, l.lens.k3, l.lens.p1, l.lens.p2}},
               {"sigma", answer.sigma},
               {"rmsPx", answer.rmsPx},
               {"remarks", answer.remarks},
               {"pictures", pictures}});
    return 0;
  }
  fmt::print("focal length {:.2f} +- {:.2f} px, centre {:.2f}, {:.2f} +- {:.2f} px (of {} x {})\n", l.fx,
             answer.focalSigma, l.cx, l.cy, answer.centreSigma.maxCoeff(), answer.width, answer.height);
  const double values[] = {l.lens.k1, l.lens.k2, l.lens.k3, l.lens.p1, l.lens.p2};
  const char* names[] = {"k1", "k2", "k3", "p1", "p2"};
  for (size_t i = 0; i < 5; ++i)
    if (values[i] != 0) fmt::print("{} {:.6f} +- {:.6f}\n", names[i], values[i], answer.sigma.at(i));
  fmt::print("corners within {:.3f} px (RMS)\n", answer.rmsPx);
  for (const auto& p : answer.pictures)
    fmt::print("  {}: {}\n", fs::path(p.board.file).filename().string(),
               p.used ? fmt::format("{} x {} corners, {:.3f} px", p.board.columns, p.board.rows, p.rmsPx) : p.problem);
  for (const auto& r : answer.remarks) fmt::print("note: {}\n", r);
  return 0;
}

int solveLines(const LensArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  const auto answer = edit::solveLines(s, s.range.first);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  json lines = json::array();
  for (size_t i = 0; i < s.lines.size(); ++i)
    lines.push_back({{"id", s.lines[i].id},
                     {"frame", s.lines[i].frame},
                     {"bowBeforePx", answer.before[i].px},
                     {"bowAfterPx", answer.after[i].px}});
  if (asJson) {
    print(json{{"k1", s.lens.k1},
               {"k2", s.lens.k2},
               {"k1Sigma", answer.k1Sigma},
               {"k2Sigma", answer.k2Sigma},
               {"rmsPx", answer.rmsPx},
               {"disagreeing", answer.disagreeing},
               {"remarks", answer.remarks},
               {"lines", lines}});
    return 0;
  }
  fmt::print("k1 {:.5f} +- {:.5f}, k2 {:.5f} +- {:.5f}; {} lines straight to {:.3f} px (RMS)\n", s.lens.k1,
             answer.k1Sigma, s.lens.k2, answer.k2Sigma, s.lines.size(), answer.rmsPx);
  for (const auto& l : lines)
    fmt::print("  {} on {}: bow {:.2f} px before, {:.2f} after\n", l["id"].get<std::string>(), l["frame"].get<int>(),
               l["bowBeforePx"].get<double>(), l["bowAfterPx"].get<double>());
  for (const auto& d : answer.disagreeing) fmt::print("note: {} disagrees with the others\n", d);
  for (const auto& r : answer.remarks) fmt::print("note: {}\n", r);
  return 0;
}

int takeMaps(const LensArguments& a, bool asJson) {
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  lens::StMapFiles files = a.maps;
  for (fs::path* f : {&files.undistort, &files.redistort})
    if (!f->empty()) *f = fs::absolute(*f);
  if (!a.straightSize.empty()) std::tie(files.straightWidth, files.straightHeight) = sizeFrom(a.straightSize);
  const auto answer = lens::readStMaps(files, s.width, s.height);
  edit::takeMaps(s, answer.maps);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  const Box b = answer.maps->straight;
  if (asJson) {
    print(json{{"fromTop", answer.fromTop},
               {"straight", {b.width(), b.height()}},
               {"pairPx", answer.pairPx},
               {"pairWorstPx", answer.pairWorstPx},
               {"remarks", answer.remarks}});
    return 0;
  }
  fmt::print("green counts from the {}; straight {} x {}\n", answer.fromTop ? "top" : "bottom", b.width(), b.height());
  if (answer.pairWorstPx > 0)
    fmt::print("there and back {:.4f} px (median), {:.4f} px at the worst\n", answer.pairPx, answer.pairWorstPx);
  for (const auto& r : answer.remarks) fmt::print("note: {}\n", r);
  return 0;
}

int library(const LensArguments& a, bool asJson) {
  if (a.shot.empty()) {
    for (const auto& l : lens::searchLibrary(a.name))
      fmt::print("{}  ({:g} to {:g} mm, crop {:g})\n", l.name, l.shortestMm, l.longestMm, l.crop);
    return 0;
  }
  const shot::Lock lock(a.shot);
  shot::Shot s = shot::load(a.shot);
  const double offPx = edit::takeLibraryLens(s, a.name, s.range.first);
  shot::save(s, a.out.empty() ? a.shot : a.out);
  if (asJson)
    print(json{{"k1", s.lens.k1}, {"k2", s.lens.k2}, {"k3", s.lens.k3}, {"residualPx", offPx}});
  else
    fmt::print("k1 {:.5f} k2 {:.5f} k3 {:.5f}; within {:.3f} px of the database's equation\n", s.lens.k1, s.lens.k2,
               s.lens.k3, offPx);
  return 0;
}

int straightPlates(const LensArguments& a, bool asJson) {
  const shot::Shot s = shot::load(a.shot);
  const std::vector<int> frames = framesOf(s, a.frames);
  comp::RenderCache cache(size_t{1} << 30);
  const auto files = output::writeStraightPlates(*evaluate::ShotEvaluator::of(s), frames,
                                                 fs::absolute(a.out.empty() ? "." : a.out), cache);
  json list = json::array();
  for (const auto& f : files) list.push_back(f.string());
  if (asJson)
    print(json{{"files", list}});
  else
    for (const auto& f : files) fmt::print("{}\n", f.string());
  return 0;
}

}  // namespace

void addLensCommands(CLI::App& app, bool& asJson, std::function<int()>& run) {
  const auto a = std::make_shared<LensArguments>();
  const auto add = [&](const char* name, const char* what, int (*command)(const LensArguments&, bool)) {
    CLI::App* c = addCommand(app, name, what, a, command, asJson, run);
    return c;
  };
  const auto withShot = [&](CLI::App* c) {
    c->add_option("shot", a->shot, "the .zentil file")->required();
    return c;
  };
  auto* l = withShot(add("lens", "write ST maps, render sheet and coefficients", lensFiles));
  l->add_option("--out", a->out, "folder; otherwise here");
  l->add_option("--frames", a->frames, "the frame whose lens it is; otherwise the first");
  l->add_flag("--top", a->top, "ST maps count from the top; otherwise from the bottom");
  auto* c = add("calibrate", "focal length, centre and distortion from pictures of a checkerboard", calibrate);
  c->add_option("pictures", a->pictures, "three or more")->required();
  c->add_option("--board", a->board, "inner corners across and down, as 9x6; otherwise as found");
  c->add_flag("--rectangular", a->rectangular, "pixels need not be square: two focal lengths");
  c->add_option("--out", a->out, "file to write: .json, or .yml for OpenCV");
  auto* p = withShot(add("solve-lines", "the lens from the lines drawn in the shot, saved into it", solveLines));
  p->add_option("--out", a->out, "save as this shot instead");
  auto* m = withShot(add("take-maps", "ST maps as the shot's lens, saved into it", takeMaps));
  m->add_option("--undistort", a->maps.undistort, "on the straight picture: where on the plate");
  m->add_option("--redistort", a->maps.redistort, "on the plate: where on the straight picture");
  m->add_option("--straight", a->straightSize, "size of the straight picture, as 1330x748; otherwise as the map is");
  m->add_option("--out", a->out, "save as this shot instead");
  auto* d = add("lens-database", "search the open lens database, or take a lens of it into a shot", library);
  d->add_option("name", a->name, "part of a name; with --shot, the whole name")->required();
  d->add_option("--shot", a->shot, "take it into this shot, at the shot's focal length and film back");
  d->add_option("--out", a->out, "save as this shot instead");
  auto* s = withShot(add("straight", "write the plate without its lens", straightPlates));
  s->add_option("--frames", a->frames, "1001-1072 or 1040; otherwise all");
  s->add_option("--out", a->out, "folder; otherwise here");
}

}  // namespace zentil::batch
