#pragma once
#include "core/element/cg_settings.h"

namespace zentil::element {

/// A source: a still or a sequence as it is, its aspect kept: a sign on a wall, a picture on a screen, a painted flat
/// view. It is given no camera; its place says where it lands.
struct Picture {
  static constexpr const char* kKind = "picture";
  image::Plate files;
  bool premultiplied = true;  ///< its colour is already multiplied by its alpha
  int shift = 0;              ///< plate frame less its own
  Beyond beyond = Beyond::Hold;
  bool operator==(const Picture&) const = default;

  Needs needsAt(int frame) const {
    Needs n;
    if (const auto f = sequenceFrame(files.range, frame - shift, beyond)) n.reads.push_back({{}, files, *f});
    return n;
  }
};

template <typename See>
void describe(const Picture*, See&& see) {
  using value::label;
  see("files", &Picture::files, label("pictures"));
  see("premultiplied", &Picture::premultiplied, label("multiplying by alpha"));
  see("shift", &Picture::shift, label("shift").within(-100000, 100000).in("frames", 0).by(1));
  see("beyond", &Picture::beyond, label("frames past its ends"));
}

}  // namespace zentil::element
