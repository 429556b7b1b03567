#pragma once
#include "core/base/job.h"
#include "core/track/follow.h"

namespace zentil::track {

/// How many frames a tracker that was lost is looked for before it is given up.
constexpr int kPatience = 60;

/// Follows a tracker that was placed by hand from one frame to another, forwards or backwards; it must have a place on
/// `from`. It looks for the pattern of the last key it passed, first by a step from frame to frame, then by
/// correlation in its search box. On a key the way since the one before is bent so that it meets it, evenly, and the
/// pattern is taken anew. Where something comes before a part of the pattern (that part is much more unlike it than it
/// was, and than the other parts are) it waits, goes along with what is around it, and is found again where it comes
/// out; frames that were touched just before go with it. Lost frames have no place; it goes on where it is found again,
/// or at the next key. Throws Error when `from` has no place or there is no key; a stopped job returns what was
/// followed so far.
Track followHand(const FrameSource& frames, const Track& track, int from, int to, const Job& job = {});

/// Moves a tracker on a frame: a new key there, or one that was there moved. The way to the neighbouring keys is bent
/// evenly to meet it.
Track keyed(const Track& track, int frame, const Vec2& place);

/// A key less; the places stay as they are. The last one cannot be taken.
Track unkeyed(const Track& track, int frame);

}  // namespace zentil::track
