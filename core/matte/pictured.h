#pragma once
#include "core/image/plate.h"
#include "core/value/setting.h"

namespace zentil::matte {

/// An image sequence: its alpha if the files have one, else its red. It stands on the screen.
struct Pictured {
  static constexpr const char* kKind = "pictures";
  static constexpr bool kCanRide = false;
  image::Plate files;
  int shift = 0;  ///< plate frame less the pictures' frame
  bool operator==(const Pictured&) const = default;
};

template <typename See>
void describe(const Pictured*, See&& see) {
  see("files", &Pictured::files, value::says("pictures"));
  see("shift", &Pictured::shift, value::says("shift").within(-1e6, 1e6).in("frames", 0).by(1));
}

}  // namespace zentil::matte
