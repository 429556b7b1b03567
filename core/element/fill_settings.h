#pragma once
#include <span>
#include <string>
#include <vector>

#include "core/element/elsewhere.h"
#include "core/element/needs.h"
#include "core/value/setting.h"

namespace zentil::element {

/// How frames that show the same place are put together: each part of it from one of them, the first wherever it shows
/// it, with seams where they agree; or all of them averaged, what differs from most left out; or averaged, and what no
/// frame shows closed from around it.
enum class FillMethod { PartByPart, Averaged, Closed };
inline std::span<const char* const> namesOf(FillMethod) {
  static constexpr const char* kNames[] = {"part by part", "average", "average and inpaint"};
  return kNames;
}

/// A source: a place on a surface as several frames of a plate show it between them, without what has to go.
struct Fill {
  static constexpr const char* kKind = "fill";
  static constexpr bool kFromManyFrames = true;
  std::vector<int> frames;  ///< by the shot's numbers; the first has the first say, and its light is what others get
  std::string plate;        ///< id of the plate they are taken from; empty: the one that is worked on
  FillMethod method = FillMethod::Averaged;
  bool equalise = true;  ///< their light is brought to the first one's, level and slope
  Elsewhere from{};      ///< from elsewhere on its surface
  bool operator==(const Fill&) const = default;

  Needs needsAt(int) const {
    Needs n;
    if (frames.empty()) return n;
    n.stage = frames.front();
    n.eachBySight = true;
    n.reads.reserve(frames.size());
    for (const int f : frames) n.reads.push_back({plate, {}, f});
    return n;
  }
};

template <typename See>
void describe(const Fill*, See&& see) {
  using value::label;
  see("frames", &Fill::frames, label("frames it is taken from"));
  see("plate", &Fill::plate, label("plate").of("plates", "the plate"));
  see("method", &Fill::method, label("fill method"));
  see("equalise", &Fill::equalise, label("equalising"));
  see("sourceOffsetM", &Fill::from, label("shift along the surface"));
}

}  // namespace zentil::element
