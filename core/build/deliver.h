#pragma once
#include <filesystem>

#include "core/base/job.h"
#include "core/build/build.h"

namespace zentil::build {

struct DeliveryReport {
  std::vector<int> written;
  std::vector<int> kept;  ///< frames that were there already, complete and from this same recipe
  bool stopped = false;
};

/// Builds and writes frames to shot.delivery.pattern. A frame's file gets its name only when it is complete; one that
/// is there and was made by the same recipe is kept, so a stopped delivery goes on where it stopped, and several
/// machines may share a shot by `frames`. Throws Error naming the frame and file at the first one that cannot be built
/// or written; the frames before it are complete.
DeliveryReport deliver(const shot::Shot& shot, const std::vector<int>& frames, Workshop& workshop, const Job& job = {});

/// The file a frame is delivered to.
std::filesystem::path deliveredFile(const shot::Delivery& delivery, int frame);

/// True when the frame's file is there and was made by the shot as it is now.
bool isUpToDate(const shot::Shot& shot, int frame);

}  // namespace zentil::build
