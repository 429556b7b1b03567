#pragma once
#include <filesystem>

#include "core/base/error.h"
#include "core/base/job.h"
#include "core/comp/layer.h"
#include "core/comp/pixels_version.h"
#include "core/image/provenance.h"
#include "core/output/protect_inputs.h"
#include "core/output/refuse.h"

namespace zentil::output {

struct DeliveryReport {
  std::vector<int> written;
  std::vector<int> kept;         ///< frames that were there already, complete and from this same recipe
  std::vector<Refused> refused;  ///< frames that something grave touches
  bool stopped = false;
};

struct DeliveryWish {
  bool overwrite = false;  ///< replaces files that Zentil did not write
  bool inSpite = false;    ///< delivers in spite of grave problems; the files say so
  /// The folder that frames may land in without anybody being asked: the shot's own. Without one, anywhere.
  std::optional<std::filesystem::path> within = {};
};

/// The shot delivers to a place outside its own folder. A shot from somebody else may name any.
class Elsewhere : public Error {
 public:
  explicit Elsewhere(const std::filesystem::path& place);
};

/// Builds and writes frames to the shot's delivery pattern. A frame's file gets its name only when it is complete; one
/// that is there and was made by the same recipe is kept, so a stopped delivery goes on where it stopped, and several
/// machines may share a shot by `frames`. Frames that something grave touches (shot::Problem) are refused; when it
/// touches all, nothing is written and Error thrown. Throws Elsewhere and NotOurs before anything is written where
/// files would be replaced that Zentil did not write, and Error for what the shot is made from, whatever is wished.
/// Throws Error naming the frame and file at the first one that cannot be built or written; the frames before it are
/// complete.
DeliveryReport deliver(const evaluate::ShotEvaluator& evaluator, const std::vector<int>& frames,
                       comp::RenderCache& cache, const Job& job = {}, const DeliveryWish& wish = {});

/// A frame as the shot's output view shows it: the finished picture, or its elements alone. Its display window begins
/// at the origin. Where `failed` is given, an element that cannot be made is left out and named there. Throws Error as
/// comp::buildFrame and ShotEvaluator::outputView do.
image::Picture outputPicture(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& output,
                             comp::RenderCache& cache, map::Filter filter, bool overPlate,
                             std::vector<std::string>* failed = nullptr);

/// The file a frame is delivered to.
std::filesystem::path deliveredFile(const evaluate::ShotEvaluator& evaluator, int frame);

/// True when the frame's file is there and was made by the shot, and from the files, as they are now.
bool isUpToDate(const evaluate::ShotEvaluator& evaluator, int frame);

}  // namespace zentil::output
