#include "core/output/flat_views.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/image/rim.h"
#include "core/image/write.h"
#include "core/map/between.h"

namespace fs = std::filesystem;

namespace zentil::output {

image::Picture flatView(const image::Picture& sphere, const view::Steer& steer, int width, int height,
                        map::Filter filter) {
  const map::Between look(std::make_shared<view::Perspective>(view::steered(steer, width, height)),
                          std::make_shared<view::Sphere>(sphere.display.width(), sphere.display.height()));
  const Box box{0, 0, width, height};
  return map::resample(image::withRim(sphere, 32), look, box, box, filter);
}

std::vector<fs::path> writeFlatViews(const moment::Timeline& timeline, const std::vector<int>& frames,
                                     const view::Steer& steer, int width, int height, const fs::path& folder,
                                     comp::Workshop& workshop, const Job& job) {
  if (width < 1 || height < 1 || width > 32768 || height > 32768)
    throw Error(fmt::format("{} x {} is no size of a view", width, height), "Give 1 to 32768 pixels");
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  std::vector<fs::path> files;
  for (size_t i = 0; i < frames.size(); ++i) {
    job.checkpoint();
    job.report(static_cast<double>(i) / static_cast<double>(frames.size()), fmt::format("frame {}", frames[i]));
    if (!timeline.stage(frames[i])->around)
      throw Error("the shot's picture is no sphere", "Say at Plate that it is, or open a 2:1 plate");
    const auto frame = workshop.frame(timeline.plateAt(frames[i]));
    files.push_back(folder / fmt::format("{}_view.{:04}.exr", asFileName(timeline.name()), frames[i]));
    image::writePicture(files.back(), flatView(frame->forReading(), steer, width, height, map::Filter::Sharper), {});
  }
  return files;
}

}  // namespace zentil::output
