#include "core/output/lens_files.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/lens/lens_file.h"
#include "core/output/protect_inputs.h"
#include "core/output/refuse.h"

namespace zentil::output {

using image::Picture;

StMaps stMapsOf(const evaluate::SceneState& stage, const Box& box, Origin origin) {
  const auto& lens = stage.lens;
  const Box plate = stage.frameBox;
  const auto fill = [&](const Box& on, const Box& read, const auto& map) {
    Picture out(Box{0, 0, on.width(), on.height()}, {0, 0, on.width(), on.height()}, 4);
    parallelRanges(0, on.height(), 16, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < on.width(); ++x) {
          Vec2 q;
          if (!map(Vec2(on.x0 + x + 0.5, on.y0 + y + 0.5), q)) continue;
          float* p = out.pixel(x, y);
          const double s = (q.x() - read.x0) / read.width(), t = (q.y() - read.y0) / read.height();
          p[0] = static_cast<float>(s);
          p[1] = static_cast<float>(origin == Origin::Top ? t : 1 - t);
          p[3] = 1;
        }
    });
    return out;
  };
  StMaps maps;
  maps.undistort = fill(box, plate, [&](const Vec2& p, Vec2& q) { return lens.plateFromStraight(p, q); });
  maps.redistort = fill(plate, box, [&](const Vec2& p, Vec2& q) { return lens.straightFromPlate(p, q); });
  return maps;
}

void writeStMaps(const StMaps& maps, const std::filesystem::path& folder, const std::string& name) {
  std::error_code ec;
  std::filesystem::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  image::WriteOptions options;
  options.half = false;
  options.compression = "zip";
  options.alpha = true;
  options.colourSpace = "raw";
  image::writePicture(folder / (name + "_undistort.exr"), maps.undistort, options);
  image::writePicture(folder / (name + "_redistort.exr"), maps.redistort, options);
}

std::vector<std::filesystem::path> writeLensFiles(const evaluate::ShotEvaluator& evaluator, const lens::Lens& lens,
                                                  int frame, const std::filesystem::path& folder, Origin origin,
                                                  const Job& job) {
  requireSound(evaluator, {frame});
  const Box box = evaluator.straight();
  const Box plate = evaluator.frameBox();
  const FrameRange range = evaluator.range();
  const std::string name = asFileName(evaluator.name());
  std::vector<std::filesystem::path> files;
  const auto namesOf = [&](const std::string& as) {
    return std::vector<std::filesystem::path>{folder / (as + "_undistort.exr"), folder / (as + "_redistort.exr")};
  };
  if (evaluator.lensChanges())
    for (int f = range.first; f <= range.last; ++f) refuseInputs(evaluator, namesOf(fmt::format("{}.{:04}", name, f)));
  else
    refuseInputs(evaluator, namesOf(name));
  const auto maps = [&](int at, const std::string& as) {
    writeStMaps(stMapsOf(*evaluator.stage(at), box, origin), folder, as);
    files.push_back(folder / (as + "_undistort.exr"));
    files.push_back(folder / (as + "_redistort.exr"));
  };
  if (evaluator.lensChanges()) {
    for (int f = range.first; f <= range.last; ++f) {
      job.checkpoint();
      job.report(static_cast<double>(f - range.first) / range.count(), fmt::format("frame {}", f));
      maps(f, fmt::format("{}.{:04}", name, f));
    }
  } else {
    maps(frame, name);
  }
  lens::writeLens(folder / (name + "_lens.json"), lens);
  files.push_back(folder / (name + "_lens.json"));
  const auto here = evaluator.stage(frame)->lens;
  if (lens::canBeWrittenForOpenCv(here.lens)) {
    lens::writeLensForOpenCv(folder / (name + "_lens.yml"), here, plate.width(), plate.height());
    files.push_back(folder / (name + "_lens.yml"));
  }
  if (!evaluator.cameraPath().empty()) {
    writeText(folder / (name + "_render_sheet.json"), renderSheet(evaluator, box));
    files.push_back(folder / (name + "_render_sheet.json"));
  }
  return files;
}

std::string renderSheet(const evaluate::ShotEvaluator& evaluator, const Box& box) {
  const Box plate = evaluator.frameBox();
  const FrameRange range = evaluator.range();
  if (evaluator.cameraPath().empty()) throw Error("the shot has no camera", "Load one at Camera");
  const auto& c = evaluator.cameraPath();
  // The film back grows with the picture: the same focal length then sees more.
  const double wide = c.backWidthMm * box.width() / plate.width(),
               high = c.backHeightMm * box.height() / plate.height();
  double least = 1e30, most = 0;
  for (const auto& [f, pose] : c.poses)
    if (range.contains(f)) least = std::min(least, pose.focalMm), most = std::max(most, pose.focalMm);
  const auto degrees = [](double back, double focal) { return 2 * std::atan(back / 2 / focal) * 180 / M_PI; };
  nlohmann::ordered_json j = {
      {"shot", evaluator.name()},
      {"resolution", {box.width(), box.height()}},
      {"plate", {plate.width(), plate.height()}},
      {"display_window_on_plate", {box.x0, box.y0, box.x1, box.y1}},
      {"film_back_mm", {wide, high}},
      {"optical_centre_from_middle_px",
       {c.centreOffsetPx.x() + plate.width() / 2.0 - (box.x0 + box.x1) / 2.0,
        c.centreOffsetPx.y() + plate.height() / 2.0 - (box.y0 + box.y1) / 2.0}},
      {"focal_mm", least == most ? nlohmann::ordered_json(least) : nlohmann::ordered_json({least, most})},
      {"field_of_view_degrees", {degrees(wide, least), degrees(high, least)}},
      {"frames", {range.first, range.last}},
      {"fps", evaluator.fps()},
      {"camera", c.source},
      {"alpha", "premultiplied"},
      {"lens", "render straight; Zentil bends it once"}};
  return j.dump(2) + "\n";
}

}  // namespace zentil::output
