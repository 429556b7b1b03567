#include "core/output/mattes.h"

#include "core/base/files.h"
#include "core/comp/cover.h"
#include "core/image/write.h"
#include "core/output/deliver.h"

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

std::vector<fs::path> writeMattes(const moment::Timeline& timeline, const std::vector<MatteWish>& mattes, bool cutouts,
                                  const std::vector<int>& frames, const fs::path& folder, comp::Workshop& workshop,
                                  const Job& job) {
  if (mattes.empty()) throw Error("the shot has no matte", "Draw one at Work");
  if (frames.empty()) throw Error("no frame is asked for", "Choose some within the shot's range");
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (!fs::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
  const auto fileOf = [&](const MatteWish& m, bool cutout, int frame) {
    return folder / fmt::format("{}_{}{}.{:04}.exr", asFileName(timeline.name().empty() ? "shot" : timeline.name()),
                                asFileName(m.name), cutout ? "_cutout" : "", frame);
  };
  // Everything is asked before anything is written: names, what stands there, and that each matte reaches each frame.
  for (size_t i = 0; i < mattes.size(); ++i)
    for (size_t k = 0; k < i; ++k)
      if (asFileName(mattes[i].name) == asFileName(mattes[k].name))
        throw Error(fmt::format("two mattes are called \"{}\": their files would have one name", mattes[i].name),
                    "Rename one");
  for (const auto& m : mattes)
    for (const int f : frames) {
      (void)timeline.matteAt(m.id, f);
      for (const bool cutout : {false, true}) {
        if (cutout && !cutouts) continue;
        const auto file = fileOf(m, cutout, f);
        if (!fs::exists(file, ec)) continue;
        if (!isDelivered(file)) throw NotOurs(file, 1);
        const auto plate = timeline.plateAt(f);
        if (fs::equivalent(file, plate.files.fileOf(plate.frame), ec))
          throw Error(fmt::format("{} would be written over, which is the plate", file.string()),
                      "Choose another folder");
      }
    }
  std::vector<fs::path> out;
  double done = 0;
  for (const int f : frames) {
    const auto stage = timeline.stage(f);
    const auto plate = timeline.plateAt(f);
    for (const auto& m : mattes) {
      job.checkpoint();
      job.report(done++ / static_cast<double>(frames.size() * mattes.size()), fmt::format("frame {}", f));
      const image::Picture cover = comp::coverOver({timeline.matteAt(m.id, f)}, *stage, stage->frameBox, workshop);
      image::WriteOptions options;
      options.pixelAspect = plate.files.pixelAspect;
      options.notes["ImageDescription"] = options.notes["DocumentName"] =
          fmt::format("{} {} matte {}", kDeliveredMark, f, m.name);
      out.push_back(fileOf(m, false, f));
      image::writePicture(out.back(), cover, options);
      if (!cutouts) continue;
      options.alpha = true;
      out.push_back(fileOf(m, true, f));
      image::writePicture(out.back(), cutOut(workshop.frame(plate)->picture, cover), options);
    }
  }
  job.report(1, "done");
  return out;
}

}  // namespace zentil::output
