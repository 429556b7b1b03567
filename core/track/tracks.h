#pragma once
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/base/geometry.h"

namespace zentil::track {

/// What a tracker that was placed by hand was told.
struct ManualTracker {
  std::string name;
  int half = 10;    ///< its pattern is 2 half + 1 pixels wide
  int search = 24;  ///< looked for so many pixels about where it is expected
  /// A place is kept where it is known within so many pixels (three standard errors); 0: however it is known.
  double within = 0.5;
  std::map<int, Vec2> keys{};   ///< places given by hand, by frame: the pattern is taken anew at each
  std::set<int> jumps{};        ///< of these keys, those before which nothing was amiss: the way to them is not bent
  std::map<int, Vec2> fixed{};  ///< places that hold on their frame alone
  std::vector<FrameRange> blank{};  ///< frames on which it has no place, whatever is found
  std::set<int> weak{};             ///< frames on which it was found, but is not known within that
  bool isBlank(int frame) const;
  bool operator==(const ManualTracker&) const = default;
};

/// One thing followed through frames: its place on the plate, frame by frame.
struct Track {
  int id = 0;
  int first = 0;                                ///< frame of at[0]
  std::vector<Vec2> at;                         ///< plate pixels; not a number on frames where it was lost
  bool on = true;                               ///< takes part in solving
  double weight = 1;                            ///< counts so much more than others in a solve
  std::shared_ptr<const ManualTracker> hand{};  ///< null: it was found by itself
  bool operator==(const Track& o) const;

  int last() const { return first + static_cast<int>(at.size()) - 1; }
  bool has(int frame) const {
    return frame >= first && frame <= last() && at[static_cast<size_t>(frame - first)].allFinite();
  }
  const Vec2& where(int frame) const { return at[static_cast<size_t>(frame - first)]; }
  /// Frames it is seen on.
  int length() const;
  /// Sets its place on any frame, lengthening it as needed; not a number: lost there.
  void set(int frame, const Vec2& place);
};

using Tracks = std::vector<Track>;

/// How many tracks that are on are seen on a frame.
int countOn(const Tracks& tracks, int frame);

}  // namespace zentil::track
