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
enum class Together { OneEach, Averaged, Closed };
inline std::span<const char* const> namesOf(Together) {
  static constexpr const char* kNames[] = {"one each", "averaged", "closed"};
  return kNames;
}

/// A source: a place on a surface as several frames of a plate show it between them, without what has to go.
struct Gathered {
  static constexpr const char* kKind = "several frames";
  std::vector<int> frames;  ///< by the shot's numbers; the first has the first say, and its light is what others get
  std::string plate;        ///< id of the plate they are taken from; empty: the one that is worked on
  Together together = Together::Averaged;
  bool evened = true;  ///< their light is brought to the first one's, level and slope
  Elsewhere from{};    ///< from elsewhere on its surface
  bool operator==(const Gathered&) const = default;

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
void describe(const Gathered*, See&& see) {
  using value::says;
  see("frames", &Gathered::frames, says("frames it is taken from"));
  see("plate", &Gathered::plate, says("plate").of("plates", "the plate"));
  see("together", &Gathered::together, says("putting together"));
  see("evened", &Gathered::evened, says("evening of light"));
  see("from", &Gathered::from, says("shift along the surface"));
}

}  // namespace zentil::element
