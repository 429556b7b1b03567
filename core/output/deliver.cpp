#include "core/output/deliver.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/comp/filled_edges.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/output/protect_inputs.h"

namespace fs = std::filesystem;

namespace zentil::output {
namespace {

/// How the mark of elements alone, on transparent ground, ends.
constexpr const char* kAlone = " alone";

/// Written into every delivered file's header; says from which recipe, files and version it came.
std::string mark(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state) {
  const auto& d = evaluator.delivery();
  const double aspect = state.plate ? evaluator.outputPixelAspect() : 1;
  const uint64_t key =
      hashOf(fmt::format("{} {} {} {} {}{}{}", comp::kPixelsVersion, d.half, d.compression, d.quality, d.sharpFilter,
                         d.overPlate ? "" : " alone", aspect == 1 ? "" : fmt::format(" pixels {:g} wide", aspect)),
             state.key);
  return fmt::format("{} {} recipe {:016x}{}", image::kMark, state.frame, key, d.overPlate ? "" : kAlone);
}

/// Finished frames and elements alone have the same names, and neither is written over the other unasked.
void refuseOtherKind(const std::vector<fs::path>& files, bool overPlate) {
  std::error_code ec;
  for (const auto& file : files)
    if (fs::exists(file, ec) && image::markOf(file).ends_with(kAlone) == overPlate)
      throw image::NotOurs(
          fmt::format("{}: is there, with {}", file.string(), overPlate ? "the elements alone" : "the finished frame"));
}

std::string nameOf(const evaluate::FileAt& file) { return fs::path(file.files.fileOf(file.frame)).filename().string(); }

bool isUpToDate(const fs::path& file, const std::string& mark) {
  std::error_code ec;
  if (!fs::exists(file, ec) || fs::file_size(file, ec) == 0) return false;
  if (image::markOf(file) != mark) return false;
  return image::isWhole(file);
}

}  // namespace

Elsewhere::Elsewhere(const fs::path& place)
    : Error(fmt::format("the shot delivers to {}, outside its own folder", place.string()),
            "Deliver to another place, or say that it may (--elsewhere)") {}

fs::path deliveredFile(const evaluate::ShotEvaluator& evaluator, int frame) {
  image::Plate p;
  p.pattern = evaluator.delivery().pattern;
  return p.fileOf(frame);
}

bool isUpToDate(const evaluate::ShotEvaluator& evaluator, int frame) {
  return isUpToDate(deliveredFile(evaluator, frame), mark(evaluator, evaluator.output(frame)));
}

image::Picture outputPicture(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& output,
                             comp::RenderCache& cache, map::Filter filter, bool overPlate,
                             std::vector<std::string>* failed) {
  comp::BuildOptions build;
  build.filter = filter, build.failed = failed;
  const auto view = output.here->outputView();
  image::Picture out = !overPlate ? comp::buildAdded(output, cache, filter, failed)
                       : evaluator.outputFillsEdges()
                           ? comp::withFilledEdges(evaluator, output.frame, view, cache, filter).picture
                           : comp::buildFrame(output, cache, build);
  if (output.here->asShot) out.data = out.display = {0, 0, out.data.width(), out.data.height()};
  return out;
}

DeliveryReport deliver(const evaluate::ShotEvaluator& evaluator, const std::vector<int>& wished,
                       comp::RenderCache& cache, const Job& job, const DeliveryWish& wish) {
  const auto& delivery = evaluator.delivery();
  DeliveryReport report;
  std::vector<int> frames = wished;
  const fs::path folder = fs::path(delivery.pattern).parent_path();
  if (fs::path(delivery.pattern).filename().string().find('#') == std::string::npos)
    throw Error(fmt::format("{}: the name has no place for the frame number", delivery.pattern),
                "Write one '#' for each digit: shot.####.exr");
  if (!image::isWritable(delivery.pattern))
    throw Error(fmt::format("{}: a file of that kind cannot be delivered", delivery.pattern),
                "Its ending has to be exr, dpx, png, jpg or tif");
  if (!delivery.overPlate && !image::holdsAlpha(delivery.pattern))
    throw Error(fmt::format("\"{}\" has no alpha: elements alone cannot be delivered so",
                            fs::path(delivery.pattern).extension().string()),
                "Deliver EXR, TIFF or PNG, or on the plate");
  if (frames.empty()) throw Error("there is no frame to deliver", "Give the shot a range, or name frames");
  const auto problems = wish.inSpite ? evaluator.problems() : std::vector<shot::Problem>();
  if (!wish.inSpite) report.refused = refuse(evaluator, frames);
  if (wish.within && !liesWithin(folder, *wish.within)) throw Elsewhere(folder);
  std::vector<fs::path> files;
  files.reserve(frames.size());
  for (const int f : frames) files.push_back(deliveredFile(evaluator, f));
  refuseInputs(evaluator, files);
  if (!wish.overwrite) image::refuseOthers(files), refuseOtherKind(files, delivery.overPlate);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  for (size_t i = 0; i < frames.size(); ++i) {
    const int f = frames[i];
    if (job.stopped()) {
      report.stopped = true;
      return report;
    }
    job.report(static_cast<double>(i) / static_cast<double>(frames.size()), fmt::format("frame {}", f));
    const evaluate::FrameState state = evaluator.output(f);
    const fs::path file = deliveredFile(evaluator, f);
    const std::string made = mark(evaluator, state);
    if (isUpToDate(file, made)) {
      report.kept.push_back(f);
      continue;
    }
    if (!state.plate) throw Error("the shot has no plate", "Open one");
    const auto plate = cache.frame(*state.plate);
    const auto filter = delivery.sharpFilter ? map::Filter::Sharper : map::Filter::Sharp;
    const image::Picture picture = outputPicture(evaluator, state, cache, filter, delivery.overPlate);
    image::WriteOptions options;
    options.half = delivery.half;
    options.compression = delivery.compression;
    options.quality = delivery.quality;
    options.alpha = plate->hasAlpha || !delivery.overPlate || evaluator.outputHasAlpha();
    options.pixelAspect = evaluator.outputPixelAspect();
    options.sphere = state.here->around;
    if (options.sphere) options.packetsOf = state.plate->files.fileOf(state.plate->frame);
    options.notes["ImageDescription"] = options.notes["DocumentName"] = made;
    options.notes["zentil:frame"] = std::to_string(f);
    options.notes["zentil:plate"] = nameOf(*state.plate);
    options.notes["zentil:shot"] = evaluator.name();
    if (const std::string grave = graveAt(problems, f); !grave.empty()) options.notes["zentil:inSpiteOf"] = grave;
    std::string sources;
    for (const auto& layer : state.layers)
      if (!layer.files.empty())
        sources += (sources.empty() ? "" : "; ") + fmt::format("{}: {}", layer.name, nameOf(layer.files.back()));
    if (!sources.empty()) options.notes["zentil:sources"] = sources;
    image::writePicture(file, picture, options);
    report.written.push_back(f);
  }
  job.report(1, "done");
  return report;
}

}  // namespace zentil::output
