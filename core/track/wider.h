#pragma once
#include <deque>

#include "core/track/pattern.h"

namespace zentil::track {

/// How unlike the parts of a pattern have been, and whether one frame goes beyond it.
class OcclusionTest {
 public:
  void begin() { past_.clear(); }
  void accept(const Pattern::SubBlocks& now);
  /// True where something stands before a part of the pattern: that part is much more unlike than it was, and than most
  /// parts are. Blur, noise and changing light come to all parts alike. A `share` below one asks for less.
  bool covered(const Pattern::SubBlocks& now, double share = 1) const;

 private:
  std::deque<Pattern::SubBlocks> past_;
};

/// What is about a pattern on the same surface: a wider one, which says where it is the better the less its own texture
/// holds it. It helps where it is as like as it was, and says the same within what both know.
class Wider {
 public:
  Wider(const image::Grey& frame, const Vec2& at, int half, double spread);
  /// Improves a pose that was found, whose place is known to `spread` (covariance, pixels squared); to what it is known
  /// then.
  Mat2 help(const image::Grey& frame, Pattern::Pose& pose, const Mat2& spread, double bend);

 private:
  Pattern pattern_;
  OcclusionTest likeness_;
};

}  // namespace zentil::track
