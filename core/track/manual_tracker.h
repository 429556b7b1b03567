#pragma once
#include <functional>
#include <optional>
#include <span>

#include "core/base/job.h"
#include "core/track/follow.h"

namespace zentil::track {

/// How many frames a tracker that was lost is looked for before it is given up.
constexpr int kPatience = 60;

/// Where a tracker should be on a frame on which it is not seen, by what else is known of the shot; none where nothing
/// is.
using Expected = std::function<std::optional<Vec2>(const Track& soFar, int frame)>;

/// Follows a tracker that was placed by hand from one frame to another, forwards or backwards; it must have a place on
/// `from`. It looks for the pattern of the last key it passed, first by a step from frame to frame, then by
/// correlation in its search box. On a key the way since the one before is bent so that it meets it, evenly, and the
/// pattern is taken anew. Where something comes before a part of the pattern (that part is much more unlike it than it
/// was, and than the other parts are) it waits, goes where it is expected or else along with what is around it, and is
/// found again where it comes out; frames that were touched just before go with it. Lost frames have no place; it goes
/// on where it is found again, or at the next key. Throws Error when `from` has no place or there is no key; a stopped
/// job returns what was followed so far.
Track followHand(const FrameSource& frames, const Track& track, int from, int to, const Job& job = {},
                 const Expected& expected = {});

/// What was amiss where a tracker is put right.
enum class Correction {
  Drift,     ///< it has come about since the last key: the way to the neighbouring keys is bent evenly
  FromHere,  ///< it jumped here: what comes after moves along up to the next key, what was before stays
  Here       ///< this frame alone
};
inline std::span<const char* const> namesOf(Correction) {
  static constexpr const char* kNames[] = {"drift", "from here on", "here only"};
  return kNames;
}

/// Moves a tracker on a frame: a new key there, or one that was there moved; of this frame alone, no key.
Track keyed(const Track& track, int frame, const Vec2& place, Correction what = Correction::Drift);

/// Without a place on these frames, also when it is followed again; keys there go, but for the last one there is. And
/// with what is found there again: it has to be followed through them.
Track blanked(const Track& track, const FrameRange& frames);
Track shownAgain(const Track& track, const FrameRange& frames);

/// A key less; the places stay as they are. The last one cannot be taken.
Track unkeyed(const Track& track, int frame);

}  // namespace zentil::track
