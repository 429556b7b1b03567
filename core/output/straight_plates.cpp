#include "core/output/straight_plates.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/comp/straight.h"
#include "core/image/mark.h"
#include "core/image/write.h"
#include "core/output/guard.h"
#include "core/output/refuse.h"

namespace fs = std::filesystem;

namespace zentil::output {

std::vector<fs::path> writeStraightPlates(const moment::Timeline& timeline, const std::vector<int>& frames,
                                          const fs::path& folder, comp::Workshop& workshop, const Job& job) {
  requireSound(timeline, frames);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  const Box box = timeline.straight();
  image::WriteOptions options;
  std::vector<fs::path> files;
  files.reserve(frames.size());
  for (const int f : frames)
    files.push_back(folder / fmt::format("{}_straight.{:04}.exr", asFileName(timeline.name()), f));
  refuseInputs(timeline, files);
  image::refuseChanged(files);
  for (size_t i = 0; i < frames.size(); ++i) {
    job.checkpoint();
    job.report(static_cast<double>(i) / static_cast<double>(frames.size()), fmt::format("frame {}", frames[i]));
    const moment::FileAt file = timeline.plateAt(frames[i]);
    options.pixelAspect = file.files.pixelAspect;
    options.notes["zentil:plate"] = fs::path(file.files.pattern).filename().string();
    image::Picture p =
        comp::straightened(workshop.frame(file)->forReading(), *timeline.stage(frames[i]), box, map::Filter::Sharper);
    p.data = p.display = {0, 0, box.width(), box.height()};
    options.notes["ImageDescription"] = options.notes["DocumentName"] =
        fmt::format("{} {} straight pixels {:016x}", image::kMark, frames[i], image::digestOf(p));
    image::writePicture(files[i], p, options);
  }
  return files;
}

}  // namespace zentil::output
