#include "core/output/reprojected_frame.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/comp/reprojected_frame.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/output/protect_inputs.h"

namespace zentil::output {

double writeOtherFrame(const evaluate::ShotEvaluator& evaluator, int frame, int other,
                       const std::filesystem::path& file, comp::RenderCache& cache) {
  if (!image::holdsAlpha(file))
    throw Error(fmt::format("{}: a file of that kind holds no alpha", file.string()), "Choose exr, png or tif");
  refuseInputs(evaluator, {file});
  image::refuseOthers({file});
  const auto picture = comp::otherFrame(evaluator, *evaluator.stage(frame), other, cache, map::Filter::Sharp);
  image::WriteOptions options;
  options.alpha = true;
  options.pixelAspect = evaluator.plateAt(frame).files.pixelAspect;
  options.notes["ImageDescription"] = options.notes["DocumentName"] =
      fmt::format("{} {} as frame {} sees it", image::kMark, other, frame);
  image::writePicture(file, picture, options);
  size_t shown = 0;
  for (size_t i = 3; i < picture.values.size(); i += 4) shown += picture.values[i] > 0.5f;
  return 4.0 * static_cast<double>(shown) / static_cast<double>(picture.values.size());
}

}  // namespace zentil::output
