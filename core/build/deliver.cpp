#include "core/build/deliver.h"

#include "core/build/build.h"
#include "core/build/cg.h"

#include <OpenImageIO/imageio.h>

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"

namespace fs = std::filesystem;

namespace zentil::build {
namespace {

/// Written into every delivered file's header; says from which recipe it came.
std::string mark(const shot::Shot& shot, int frame) {
  const auto& d = shot.delivery;
  const uint64_t h = hashOf(fmt::format("{} {} {}", d.half, d.compression, d.quality), shot::recipeHash(shot, frame));
  return fmt::format("Zentil {} frame {} recipe {:016x}", shot.name, frame, h);
}

image::Plate asPlate(const shot::Delivery& d) {
  image::Plate p;
  p.pattern = d.pattern;
  return p;
}

}  // namespace

fs::path deliveredFile(const shot::Delivery& delivery, int frame) { return asPlate(delivery).fileOf(frame); }

bool isUpToDate(const shot::Shot& shot, int frame) {
  const fs::path file = deliveredFile(shot.delivery, frame);
  std::error_code ec;
  if (!fs::exists(file, ec) || fs::file_size(file, ec) == 0) return false;
  const auto in = OIIO::ImageInput::open(file.string());
  if (!in) {
    OIIO::geterror();
    return false;
  }
  return in->spec().get_string_attribute("ImageDescription") == mark(shot, frame);
}

DeliveryReport deliver(const shot::Shot& shot, const std::vector<int>& frames, Workshop& workshop, const Job& job) {
  DeliveryReport report;
  const fs::path folder = fs::path(shot.delivery.pattern).parent_path();
  if (fs::path(shot.delivery.pattern).filename().string().find('#') == std::string::npos)
    throw Error(fmt::format("{}: the name has no place for the frame number", shot.delivery.pattern),
                "Write one '#' for each digit: shot.####.exr");
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
    if (isUpToDate(shot, f)) {
      report.kept.push_back(f);
      continue;
    }
    const auto plate = workshop.frame(shot.plate, f);
    BuildOptions build;
    build.filter = shot.delivery.sharper ? map::Filter::Sharper : map::Filter::Sharp;
    const image::Picture picture = buildFrame(shot, f, workshop, build);
    image::WriteOptions options;
    options.half = shot.delivery.half;
    options.compression = shot.delivery.compression;
    options.quality = shot.delivery.quality;
    options.alpha = plate->hasAlpha;
    options.notes["ImageDescription"] = mark(shot, f);
    options.notes["zentil:frame"] = std::to_string(f);
    options.notes["zentil:plate"] = fs::path(shot.plate.fileOf(f)).filename().string();
    options.notes["zentil:shot"] = shot.name;
    std::string sources;
    for (const auto& e : shot.elements)
      if (e.shows(f) && e.kind == element::Kind::Patch)
        sources +=
            (sources.empty() ? "" : "; ") +
            fmt::format("{}: {}", e.name,
                        fs::path(e.picture.empty() ? shot.plate.fileOf(e.sourceFrame) : e.picture).filename().string());
    for (const auto& e : shot.elements)
      if (const auto r = renderFrameOf(e, f); e.shows(f) && e.kind == element::Kind::Cg && r)
        sources += (sources.empty() ? "" : "; ") +
                   fmt::format("{}: {}", e.name, fs::path(e.render.fileOf(*r)).filename().string());
    if (!sources.empty()) options.notes["zentil:sources"] = sources;
    image::writePicture(deliveredFile(shot.delivery, f), picture, options);
    report.written.push_back(f);
  }
  job.report(1, "done");
  return report;
}

}  // namespace zentil::build
