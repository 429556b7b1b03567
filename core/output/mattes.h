#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::output {

/// A matte that is written: by its id, and the name its files bear.
struct MatteWish {
  std::string id, name;
};

/// Makes the folder that mattes are written into. Throws Error where it cannot be, where no matte or frame is asked
/// for, or where two mattes would have files of one name.
void prepareFor(const std::vector<MatteWish>& mattes, const std::vector<int>& frames,
                const std::filesystem::path& folder);
/// How a matte's files begin: "SHOT_MATTE".
std::string stemOf(const evaluate::ShotEvaluator& evaluator, const MatteWish& matte);

/// Mattes as they cover on every frame, as pictures of one channel: `SHOT_MATTE.0001.exr`; and, asked for, what they
/// cut out of the plate, premultiplied: `SHOT_MATTE_cutout.0001.exr`. `shutterDegrees` over 0: their shapes blurred
/// along their motion (comp::sweptOver). Files of an earlier time are replaced. Throws
/// Error before anything is written where a matte is gone or cannot ride to a frame, where files would be replaced that
/// Zentil did not write or that the shot is made from, or where the folder cannot be made.
std::vector<std::filesystem::path> writeMattes(const evaluate::ShotEvaluator& evaluator,
                                               const std::vector<MatteWish>& mattes, bool cutouts,
                                               double shutterDegrees, const std::vector<int>& frames,
                                               const std::filesystem::path& folder, comp::RenderCache& cache,
                                               const Job& job = {});

}  // namespace zentil::output
