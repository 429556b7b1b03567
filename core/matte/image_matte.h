#pragma once
#include "core/image/plate.h"
#include "core/value/setting.h"

namespace zentil::matte {

/// An image sequence: its alpha if the files have one, else its red. It stands on the screen.
struct ImageMatte {
  static constexpr const char* kKind = "pictures";
  static constexpr bool kCanFollow = false;
  image::Plate files;
  int shift = 0;  ///< plate frame less the pictures' frame
  bool operator==(const ImageMatte&) const = default;
};

template <typename See>
void describe(const ImageMatte*, See&& see) {
  see("files", &ImageMatte::files, value::label("pictures"));
  see("shift", &ImageMatte::shift, value::label("shift").within(-1e6, 1e6).in("frames", 0).by(1));
}

}  // namespace zentil::matte
