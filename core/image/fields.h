#pragma once
#include <span>

#include "core/image/picture.h"

namespace zentil::image {

struct Plate;

/// Whether a frame is one moment, or two fields: its even and its odd rows, taken one after the other.
enum class Fields { Whole, UpperFirst, LowerFirst };
inline std::span<const char* const> namesOf(Fields) {
  static constexpr const char* kNames[] = {"whole", "upper first", "lower first"};
  return kNames;
}

/// A picture of one field at the frame's full height: its own rows stay as they are where they are, and the rows
/// between come from the four nearest of them, halfway along a cubic through them (Catmull and Rom 1974), kept within
/// their range. `upper`: the rows that stay are 0, 2, 4, ...
void keepField(Picture& picture, bool upper);

/// The plate with its frames as fields, each a frame of its own, twice as many and twice as fast, counted on from the
/// same first number; or with whole frames again.
void countFields(Plate& plate, Fields fields);

}  // namespace zentil::image
