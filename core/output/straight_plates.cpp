#include "core/output/straight_plates.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/comp/undistort.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/output/protect_inputs.h"
#include "core/output/refuse.h"

namespace fs = std::filesystem;

namespace zentil::output {

std::vector<fs::path> writeStraightPlates(const evaluate::ShotEvaluator& evaluator, const std::vector<int>& frames,
                                          const fs::path& folder, comp::RenderCache& cache, const Job& job) {
  requireSound(evaluator, frames);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  const Box box = evaluator.straight();
  image::WriteOptions options;
  std::vector<fs::path> files;
  files.reserve(frames.size());
  for (const int f : frames)
    files.push_back(folder / fmt::format("{}_straight.{:04}.exr", asFileName(evaluator.name()), f));
  refuseInputs(evaluator, files);
  image::refuseChanged(files);
  for (size_t i = 0; i < frames.size(); ++i) {
    job.checkpoint();
    job.report(static_cast<double>(i) / static_cast<double>(frames.size()), fmt::format("frame {}", frames[i]));
    const evaluate::FileAt file = evaluator.plateAt(frames[i]);
    options.pixelAspect = file.files.pixelAspect;
    options.notes["zentil:plate"] = fs::path(file.files.pattern).filename().string();
    image::Picture p =
        comp::straightened(cache.frame(file)->forReading(), *evaluator.stage(frames[i]), box, map::Filter::Sharper);
    p.data = p.display = {0, 0, box.width(), box.height()};
    options.notes["ImageDescription"] = options.notes["DocumentName"] =
        fmt::format("{} {} straight pixels {:016x}", image::kMark, frames[i], image::digestOf(p));
    image::writePicture(files[i], p, options);
  }
  return files;
}

}  // namespace zentil::output
