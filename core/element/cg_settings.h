#pragma once
#include <optional>

#include "core/element/needs.h"

namespace zentil::element {

/// What a sequence shows before its first frame and after its last.
enum class Beyond { Nothing, Hold, Loop };
inline std::span<const char* const> namesOf(Beyond) {
  static constexpr const char* kNames[] = {"nothing", "hold", "loop"};
  return kNames;
}

/// The frame of a sequence that shows where `frame` is asked for; none when nothing does.
std::optional<int> sequenceFrame(const FrameRange& range, int frame, Beyond beyond);

/// A source: a sequence rendered straight through the solved camera.
struct Cg {
  static constexpr const char* kKind = "cg";
  image::Plate files;
  bool premultiplied = true;  ///< its colour is already multiplied by its alpha
  bool shadow = false;        ///< a shadow pass, by which the plate is multiplied
  int shift = 0;              ///< plate frame less render frame
  Beyond beyond = Beyond::Nothing;
  bool operator==(const Cg&) const = default;

  /// Which of its frames shows on a plate's frame; none when nothing does.
  std::optional<int> frameAt(int frame) const { return sequenceFrame(files.range, frame - shift, beyond); }
  Needs needsAt(int frame) const {
    Needs n;
    if (const auto f = frameAt(frame)) n.reads.push_back({{}, files, *f});
    return n;
  }
};

template <typename See>
void describe(const Cg*, See&& see) {
  using value::label;
  see("files", &Cg::files, label("render"));
  see("premultiplied", &Cg::premultiplied, label("multiplying by alpha"));
  see("shadow", &Cg::shadow, label("shadow pass"));
  see("shift", &Cg::shift, label("shift").within(-100000, 100000).in("frames", 0).by(1));
  see("beyond", &Cg::beyond, label("frames past its ends"));
}

}  // namespace zentil::element
