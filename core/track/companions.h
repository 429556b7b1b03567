#pragma once
#include <optional>
#include <vector>

#include "core/track/pyramid.h"

namespace zentil::track {

/// What lies about a tracked place on the same surface, and goes where that goes: while the place is hidden they say
/// where it is. Small features about it are followed from frame to frame; those that keep to the place's own move for a
/// few frames (or, while it is hidden, to that of those that did) are believed. What passes before it has another one.
class SupportTracks {
 public:
  explicit SupportTracks(int half) : reach_(kReach * half) {}

  /// Follows them from one frame to the next; where a place on the first is on the second, by those that are believed.
  /// None where they are too few.
  std::optional<Vec2> moved(const Pyramid& from, const Pyramid& to, const Vec2& at);
  /// After moved(): the place went to `now` (`seen`, or as was said); who agrees is believed the more, and others are
  /// looked for about it.
  void judge(const Pyramid& to, const Vec2& before, const Vec2& now, bool seen);

 private:
  static constexpr int kReach = 36;  ///< halves of the pattern
  struct One {
    Vec2 at, was;
    Vec2 apart = Vec2::Zero();  ///< from the common move, since it was found
    int agreed = 0, against = 0;
    bool followed = false;
  };
  /// How a place moves: evenly changing over the picture.
  struct Flow {
    Vec2 middle = Vec2::Zero(), by = Vec2::Zero();
    Mat2 slope = Mat2::Zero();
    Vec2 at(const Vec2& p) const { return by + slope * (p - middle); }
  };
  static bool believed(const One& o) { return o.agreed >= 3; }
  std::optional<Flow> flowOf(const Vec2& middle, const std::optional<Vec2>& own) const;
  void lookAbout(const Pyramid& on, const Vec2& at);

  double reach_;
  std::vector<One> all_;
};

}  // namespace zentil::track
