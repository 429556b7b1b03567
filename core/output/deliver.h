#pragma once
#include <filesystem>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::output {

struct DeliveryReport {
  std::vector<int> written;
  std::vector<int> kept;  ///< frames that were there already, complete and from this same recipe
  bool stopped = false;
};

/// Raised whenever the same shot would give other pixels: what was delivered before is then delivered again.
constexpr int kPixelsVersion = 2;

/// Builds and writes frames to the shot's delivery pattern. A frame's file gets its name only when it is complete; one
/// that is there and was made by the same recipe is kept, so a stopped delivery goes on where it stopped, and several
/// machines may share a shot by `frames`. Throws Error naming the frame and file at the first one that cannot be built
/// or written; the frames before it are complete.
DeliveryReport deliver(const moment::Timeline& timeline, const std::vector<int>& frames, comp::Workshop& workshop,
                       const Job& job = {});

/// The file a frame is delivered to.
std::filesystem::path deliveredFile(const moment::Timeline& timeline, int frame);

/// True when the frame's file is there and was made by the shot, and from the files, as they are now.
bool isUpToDate(const moment::Timeline& timeline, int frame);

}  // namespace zentil::output
