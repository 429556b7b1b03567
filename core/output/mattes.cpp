#include "core/output/mattes.h"

#include <algorithm>

#include "core/base/files.h"
#include "core/comp/cover.h"
#include "core/comp/motion_blurred_matte.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/output/protect_inputs.h"
#include "core/output/refuse.h"

namespace fs = std::filesystem;

namespace zentil::output {
namespace {

/// The plate's pixels as far as a matte covers, premultiplied.
image::Picture cutOut(const image::Picture& plate, const image::Picture& cover) {
  image::Picture out(cover.data, plate.display, 4);
  for (int y = cover.data.y0; y < cover.data.y1; ++y)
    for (int x = cover.data.x0; x < cover.data.x1; ++x) {
      if (!plate.data.contains(x, y)) continue;
      const float a = *cover.pixel(x, y);
      const float* p = plate.pixel(x, y);
      float* o = out.pixel(x, y);
      for (int c = 0; c < 4; ++c) o[c] = a * p[c];
    }
  return out;
}

}  // namespace

void prepareFor(const std::vector<MatteWish>& mattes, const std::vector<int>& frames, const fs::path& folder) {
  if (mattes.empty()) throw Error("the shot has no matte", "Draw one at Work");
  if (frames.empty()) throw Error("no frame is asked for", "Choose some within the shot's range");
  for (const auto& m : mattes)
    if (std::any_of(mattes.begin(), mattes.end(),
                    [&](const auto& o) { return &o != &m && asFileName(o.name) == asFileName(m.name); }))
      throw Error(fmt::format("two mattes are called \"{}\": their files would have one name", m.name), "Rename one");
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (!fs::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
}

std::string stemOf(const evaluate::ShotEvaluator& evaluator, const MatteWish& matte) {
  return asFileName(evaluator.name().empty() ? "shot" : evaluator.name()) + "_" + asFileName(matte.name);
}

std::vector<fs::path> writeMattes(const evaluate::ShotEvaluator& evaluator, const std::vector<MatteWish>& mattes,
                                  bool cutouts, double shutterDegrees, const std::vector<int>& frames,
                                  const fs::path& folder, comp::RenderCache& cache, const Job& job) {
  requireSound(evaluator, frames);
  prepareFor(mattes, frames, folder);
  const auto fileOf = [&](const MatteWish& m, bool cutout, int frame) {
    return folder / fmt::format("{}{}.{:04}.exr", stemOf(evaluator, m), cutout ? "_cutout" : "", frame);
  };
  // Everything is asked before anything is written: that each matte reaches each frame, and what stands there.
  std::vector<fs::path> files;
  for (const int f : frames)
    for (const auto& m : mattes) {
      (void)comp::coverBox({evaluator.matteAt(m.id, f)}, *evaluator.stage(f), cache);
      files.push_back(fileOf(m, false, f));
      if (cutouts) files.push_back(fileOf(m, true, f));
    }
  refuseInputs(evaluator, files);
  image::refuseOthers(files);
  const auto all = evaluator.plateFrames();
  double done = 0;
  for (const int f : frames) {
    const auto stage = evaluator.stage(f);
    const auto plate = evaluator.plateAt(f);
    for (const auto& m : mattes) {
      job.checkpoint();
      job.report(done++ / static_cast<double>(frames.size() * mattes.size()), fmt::format("frame {}", f));
      const auto at = [&](int frame) { return comp::CoverAt{evaluator.matteAt(m.id, frame), evaluator.stage(frame)}; };
      const auto known = [&](int frame) { return std::binary_search(all.begin(), all.end(), frame); };
      const image::Picture cover =
          shutterDegrees > 0
              ? comp::motionBlurredMatte(known(f - 1) ? std::optional(at(f - 1)) : std::nullopt, at(f),
                                         known(f + 1) ? std::optional(at(f + 1)) : std::nullopt, shutterDegrees, cache)
              : comp::coverOver({evaluator.matteAt(m.id, f)}, *stage, stage->frameBox, cache);
      image::WriteOptions options;
      options.pixelAspect = plate.files.pixelAspect;
      options.notes["ImageDescription"] = options.notes["DocumentName"] =
          fmt::format("{} {} matte {}", image::kMark, f, m.name);
      image::writePicture(fileOf(m, false, f), cover, options);
      if (!cutouts) continue;
      options.alpha = true;
      image::writePicture(fileOf(m, true, f), cutOut(cache.frame(plate)->picture, cover), options);
    }
  }
  job.report(1, "done");
  return files;
}

}  // namespace zentil::output
