#include "core/exchange/steadied_plate.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/comp/layer.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/crop.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/steady/views.h"

namespace zentil::exchange {

using steady::Path;
using steady::pathOf;

namespace {

Box cropOf(const shot::Shot& s) {
  return s.projection == shot::Projection::Sphere ? s.frameBox() : shot::cropOf(s.steady, s.width, s.height);
}

std::string steadiedName(const shot::Shot& s) { return asFileName(s.name.empty() ? "shot" : s.name) + "_steady"; }

}  // namespace

comp::FilledEdges steadied(const shot::Shot& s, const Path& path, int frame, comp::RenderCache& cache,
                           map::Filter filter) {
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  view::OutputView output = steady::steadiedView(s, path, frame);
  // A crop is the same pixels as the whole: it is cut out of it.
  const Box crop = cropOf(s);
  if (s.steady.fills()) output.box = crop;
  comp::FilledEdges out;
  if (s.steady.fills() && s.projection == shot::Projection::Camera) {
    out = comp::withFilledEdges(*evaluator, frame, output, cache, filter);
  } else {
    comp::BuildOptions options;
    options.filter = filter;
    out.picture = comp::buildFrame(evaluate::seenFrom(evaluator->at(frame), output.view, output.box), cache, options);
  }
  out.picture = image::over(out.picture, crop);
  out.picture.data = out.picture.display = {0, 0, crop.width(), crop.height()};
  return out;
}

shot::Shot steadiedShot(const shot::Shot& s, const Path& path, const std::filesystem::path& folder) {
  shot::Shot out;
  out.name = steadiedName(s);
  // A sequence of its own, whatever kind of files the plate comes from.
  image::Plate plate;
  plate.fps = s.plate().fps, plate.pixelAspect = s.plate().pixelAspect;
  plate.pattern = (folder / (out.name + ".####.exr")).string();
  plate.range = {path.looks.begin()->first, path.looks.rbegin()->first};
  for (int f = plate.range.first; f <= plate.range.last; ++f)
    if (!path.looks.count(f)) plate.missing.push_back(f);
  const Box crop = cropOf(s);
  plate.width = crop.width(), plate.height = crop.height();
  plate.colourSpace = "scene_linear";
  out.setPlate(plate);
  out.projection = s.projection;
  if (path.through.empty()) {
    auto camera = std::make_shared<camera::CameraPath>(*s.camera);
    camera->poses.clear();
    // Rows that were turned one by one are so no more.
    camera->readout = 0;
    camera->backHeightMm *= static_cast<double>(crop.height()) / s.height;
    camera->backWidthMm *= static_cast<double>(crop.width()) / s.width;
    for (const auto& [f, c] : path.looks) {
      camera->poses[f] = {c.position, c.rotation, c.fx / crop.width() * camera->backWidthMm};
      camera->centreOffsetPx = Vec2(c.cx - (crop.x0 + crop.x1) / 2.0, c.cy - (crop.y0 + crop.y1) / 2.0);
    }
    camera->source = "steadied";
    out.camera = camera;
    out.points = s.points, out.surfaces = s.surfaces, out.spots = s.spots, out.constraints = {};
  }
  auto tracks = std::make_shared<track::Tracks>();
  for (auto t : *s.tracks) {
    for (size_t i = 0; i < t.at.size(); ++i) {
      const int f = t.first + static_cast<int>(i);
      Vec2 at;
      if (t.has(f) && path.looks.count(f) && steady::fromPlate(s, path, f, t.where(f), at))
        t.at[i] = at - Vec2(crop.x0, crop.y0);
      else
        t.at[i] = Vec2::Constant(std::nan(""));
    }
    t.hand.reset();
    tracks->push_back(std::move(t));
  }
  out.tracks = tracks;
  out.delivery.pattern = (folder / "deliver" / (out.name + ".####.exr")).string();
  return out;
}

SteadiedPlate writeSteadiedPlate(const shot::Shot& s, const std::filesystem::path& folder, comp::RenderCache& cache,
                                 const Job& job) {
  const Path path = pathOf(s);
  const shot::Shot made = steadiedShot(s, path, folder);
  SteadiedPlate out;
  out.shot = folder / (made.name + ".zentil");
  std::error_code ec;
  std::filesystem::create_directories(folder, ec);
  if (!std::filesystem::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
  const bool again = std::filesystem::exists(out.shot, ec);
  if (!again)
    for (const auto& [f, c] : path.looks)
      if (std::filesystem::exists(made.plate().fileOf(f), ec))
        throw Error(fmt::format("{} is there already", made.plate().fileOf(f)),
                    "Choose another folder, or move it away");
  double done = 0;
  for (const auto& [f, c] : path.looks) {
    job.checkpoint();
    const auto& missing = s.plate().missing;
    if (!s.worked().range().contains(f) ||
        std::find(missing.begin(), missing.end(), s.worked().fileFrame(f)) != missing.end())
      continue;
    image::WriteOptions options;
    options.sphere = s.projection == shot::Projection::Sphere;
    options.alpha = !s.steady.enlarged && !options.sphere;
    options.pixelAspect = s.plate().pixelAspect;
    options.notes["zentil"] = "steadied";
    out.pictures.emplace_back(made.plate().fileOf(f));
    const comp::FilledEdges filled = steadied(s, path, f, cache, map::Filter::Sharper);
    if (filled.unseen > out.unseen) out.unseen = filled.unseen, out.unseenOn = f;
    image::writePicture(out.pictures.back(), filled.picture, options);
    job.report(++done / static_cast<double>(path.looks.size()), fmt::format("frame {}", f));
  }
  // Delivered anew, what was done in that shot meanwhile stays.
  if (again) {
    const shot::Lock lock(out.shot);
    shot::Shot next = shot::load(out.shot);
    next.setPlate(made.plate());
    next.camera = made.camera, next.points = made.points, next.tracks = made.tracks;
    shot::save(next, out.shot);
    return out;
  }
  shot::save(made, out.shot);
  return out;
}

std::vector<std::filesystem::path> writeStabilisationMaps(const shot::Shot& s, const std::filesystem::path& folder,
                                                          const Job& job) {
  const Path path = pathOf(s);
  std::error_code ec;
  std::filesystem::create_directories(folder, ec);
  if (!std::filesystem::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
  std::vector<std::filesystem::path> files;
  for (const auto& [f, look] : path.looks)
    files.push_back(folder / fmt::format("{}_map.{:04}.exr", steadiedName(s), f));
  image::refuseOthers(files);
  image::WriteOptions options;
  options.half = false, options.alpha = true, options.compression = "zip", options.colourSpace = "raw";
  size_t next = 0;
  for (const auto& [f, camera] : path.looks) {
    job.checkpoint();
    job.report(static_cast<double>(next) / static_cast<double>(files.size()), fmt::format("frame {}", f));
    const view::OutputView output = steady::steadiedView(s, path, f);
    const Box crop = cropOf(s);
    image::Picture map(crop.width(), crop.height(), 4, 0.0f);
    parallelRanges(0, crop.height(), 16, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < crop.width(); ++x) {
          Vec2 plate;
          if (!output.toPlate({crop.x0 + x + 0.5, crop.y0 + y + 0.5}, plate)) continue;
          float* p = map.pixel(x, y);
          p[0] = static_cast<float>(plate.x() / s.width), p[1] = static_cast<float>(1 - plate.y() / s.height);
          p[3] = p[0] >= 0 && p[0] <= 1 && p[1] >= 0 && p[1] <= 1 ? 1.0f : 0.0f;
        }
    });
    options.notes["ImageDescription"] = options.notes["DocumentName"] =
        fmt::format("{} {} stabilisation as an ST map", image::kMark, f);
    image::writePicture(files[next++], map, options);
  }
  return files;
}

}  // namespace zentil::exchange
