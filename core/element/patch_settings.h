#pragma once
#include <string>

#include "core/element/elsewhere.h"
#include "core/element/needs.h"
#include "core/value/setting.h"

namespace zentil::element {

/// A source: one frame of a plate, seen by the camera held there; a clean picture may stand for it.
struct Patch {
  static constexpr const char* kKind = "patch";
  int frame = 0;
  std::string plate;    ///< id of the plate it is taken from; empty: the one that is worked on
  std::string picture;  ///< a clean picture's file; empty: the plate's own pixels
  Elsewhere from{};     ///< from elsewhere on its surface
  bool operator==(const Patch&) const = default;

  /// The camera at its frame; the plate's frame, and the clean picture that stands for it.
  Needs needsAt(int) const {
    Needs n{frame, {}};
    n.reads.push_back({plate, {}, frame});
    if (!picture.empty()) n.reads.push_back({{}, image::stillOf(picture), frame});
    return n;
  }
};

template <typename See>
void describe(const Patch*, See&& see) {
  using value::label;
  see("frame", &Patch::frame, label("source frame").frame());
  see("plate", &Patch::plate, label("plate").of("plates", "the plate"));
  see("picture", &Patch::picture, label("clean picture").file());
  see("sourceOffsetM", &Patch::from, label("shift along the surface"));
}

}  // namespace zentil::element
