#pragma once
#include <string>
#include <vector>

namespace zentil {

/// Frame numbers as they stand in the file names; both ends belong to the range.
struct FrameRange {
  int first = 1, last = 0;

  int count() const { return last < first ? 0 : last - first + 1; }
  bool contains(int frame) const { return frame >= first && frame <= last; }
  bool operator==(const FrameRange&) const = default;
};

/// The frames that are in both; empty when there are none.
inline FrameRange overlap(const FrameRange& a, const FrameRange& b) {
  return {a.first > b.first ? a.first : b.first, a.last < b.last ? a.last : b.last};
}

/// "1001-1072", "1001-1072x4" or "1040": the frames it names, in order. Throws Error for anything else.
std::vector<int> parseFrames(const std::string& text);

/// "1001-1040, 1042" for a sorted list of frames.
std::string describeFrames(const std::vector<int>& frames);

}  // namespace zentil
