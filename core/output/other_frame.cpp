#include "core/output/other_frame.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/comp/other_frame.h"
#include "core/image/mark.h"
#include "core/image/write.h"
#include "core/output/guard.h"

namespace zentil::output {

double writeOtherFrame(const moment::Timeline& timeline, int frame, int other, const std::filesystem::path& file,
                       comp::Workshop& workshop) {
  if (!image::holdsAlpha(file))
    throw Error(fmt::format("{}: a file of that kind holds no alpha", file.string()), "Choose exr, png or tif");
  refuseInputs(timeline, {file});
  image::refuseOthers({file});
  const auto picture = comp::otherFrame(timeline, frame, other, workshop, map::Filter::Sharp);
  image::WriteOptions options;
  options.alpha = true;
  options.pixelAspect = timeline.plateAt(frame).files.pixelAspect;
  options.notes["ImageDescription"] = options.notes["DocumentName"] =
      fmt::format("{} {} as frame {} sees it", image::kMark, other, frame);
  image::writePicture(file, picture, options);
  size_t shown = 0;
  for (size_t i = 3; i < picture.values.size(); i += 4) shown += picture.values[i] > 0.5f;
  return 4.0 * static_cast<double>(shown) / static_cast<double>(picture.values.size());
}

}  // namespace zentil::output
