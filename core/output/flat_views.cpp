#include "core/output/flat_views.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/map/between.h"
#include "core/map/lattice.h"

namespace fs = std::filesystem;

namespace zentil::output {

image::Picture flatView(const image::Picture& sphere, const camera::Camera& eye, int width, int height,
                        map::Filter filter) {
  const map::Between look(std::make_shared<view::Perspective>(eye),
                          std::make_shared<view::Sphere>(sphere.display.width(), sphere.display.height()));
  const Box box{0, 0, width, height};
  return map::resample(sphere, map::Lattice::kept(look, box), box, filter, image::Ends::Meet);
}

Mat3 turnInSphere(const FlatViews& views, const evaluate::SceneState& stage) {
  const Mat3 steered = view::steered(views.steers.at(stage.frame), views.width, views.height).rotation;
  return views.ofWorld && stage.hasCamera ? Mat3(stage.camera.rotation.transpose() * steered) : steered;
}

std::vector<fs::path> writeFlatViews(const evaluate::ShotEvaluator& evaluator, const FlatViews& views,
                                     const fs::path& folder, comp::RenderCache& cache, const Job& job) {
  const auto [width, height] = std::pair(views.width, views.height);
  if (width < 1 || height < 1 || width > 32768 || height > 32768)
    throw Error(fmt::format("{} x {} is no size of a view", width, height), "Give 1 to 32768 pixels");
  if (views.steers.empty()) throw Error("no frame is asked for", "Choose some within the shot's range");
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  std::vector<fs::path> files;
  for (const auto& [f, steer] : views.steers) {
    if (!evaluator.stage(f)->around)
      throw Error("the shot's picture is no sphere", "Say at Plate that it is, or open a 2:1 plate");
    files.push_back(folder / fmt::format("{}_view.{:04}.exr", asFileName(evaluator.name()), f));
  }
  refuseInputs(evaluator, files);
  image::refuseOthers(files);
  size_t next = 0;
  for (const auto& [f, steer] : views.steers) {
    job.checkpoint();
    job.report(static_cast<double>(next) / static_cast<double>(files.size()), fmt::format("frame {}", f));
    const auto stage = evaluator.stage(f);
    const auto frame = cache.frame(evaluator.plateAt(f));
    camera::Camera eye = view::steered(steer, width, height);
    eye.rotation = turnInSphere(views, *stage);
    image::WriteOptions options;
    options.notes["ImageDescription"] = options.notes["DocumentName"] = fmt::format("{} {} flat view", image::kMark, f);
    image::writePicture(files[next++], flatView(frame->forReading(), eye, width, height, map::Filter::Sharper),
                        options);
  }
  return files;
}

}  // namespace zentil::output
