#pragma once
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/base/geometry.h"

namespace zentil::track {

/// What was found out about a track that should be left out of a solve.
enum class Mark {
  None,
  Straddles,  ///< its window holds two depths: it slides along an edge
  Moves       ///< it moves by itself
};

/// One thing followed through frames: its place on the plate, frame by frame.
struct Track {
  int id = 0;
  int first = 0;         ///< frame of at[0]
  std::vector<Vec2> at;  ///< plate pixels; not a number on frames where it was lost
  bool on = true;        ///< takes part in solving
  double weight = 1;     ///< counts so much more than others in a solve
  Mark mark = Mark::None;
  bool operator==(const Track& o) const;

  int last() const { return first + static_cast<int>(at.size()) - 1; }
  bool has(int frame) const {
    return frame >= first && frame <= last() && at[static_cast<size_t>(frame - first)].allFinite();
  }
  const Vec2& where(int frame) const { return at[static_cast<size_t>(frame - first)]; }
  /// Frames it is seen on.
  int length() const;
};

using Tracks = std::vector<Track>;

/// How many tracks that are on are seen on a frame.
int countOn(const Tracks& tracks, int frame);

}  // namespace zentil::track
