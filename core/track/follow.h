#pragma once
#include <functional>
#include <memory>

#include "core/base/job.h"
#include "core/image/picture.h"
#include "core/track/features.h"
#include "core/track/tracks.h"

namespace zentil::track {

/// A frame as trackers see it: image::brightness, one channel, width x height.
image::Picture brightnessOf(const image::Picture& plate);

/// Where a frame's brightness comes from; called for one frame after the other. Null for a frame that cannot be read:
/// it is left out, and what is followed goes on behind it.
using FrameSource = std::function<std::shared_ptr<const image::Picture>(int frame)>;
/// A frame that something is followed from. Throws Error for one that cannot be read.
std::shared_ptr<const image::Picture> frameNeeded(const FrameSource& frames, int frame);
/// A matte over a frame, 1 where tracking is allowed; null: everywhere.
using AllowedSource = std::function<std::shared_ptr<const image::Picture>(int frame)>;

/// Follows features through a range, forwards with new ones where the frame runs empty, then every one backwards from
/// where it started. From frame to frame by pyramidal Lucas-Kanade, there and back (Bouguet 2000); then each is
/// registered, affinely and with free gain, against its first appearance, so that errors do not add up (Baker and
/// Matthews 2004, Lucas-Kanade 20 Years On: inverse compositional). One that meets the matte goes along with what is
/// about it, and is the same track where it comes out within eighty frames and looks the same. Memory holds the
/// patterns and half a gigabyte of frames, however long the range. Throws Error when no frame has a feature; a stopped
/// job returns what was followed so far.
Tracks follow(const FrameSource& frames, const FrameRange& range, const TrackSettings& question, const Job& job = {},
              const AllowedSource& allowed = {});

}  // namespace zentil::track
