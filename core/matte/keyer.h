#pragma once
#include <array>
#include <span>
#include <string>

#include "core/image/picture.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::matte {

/// What a key goes by: how bright a pixel is, how far its hue is from a backing's, how much it differs from what an
/// element shows there.
enum class KeyBy { Luma, Chroma, Difference };
inline std::span<const char* const> namesOf(KeyBy) {
  static constexpr const char* kNames[] = {"luma", "chroma", "difference"};
  return kNames;
}

/// A key made on the plate, frame by frame: nothing is covered up to `low`, all from `high` on, and what lies between
/// is told by the colours on both sides of it. It stands where the plate shows it.
struct Keyer {
  static constexpr const char* kKind = "key";
  static constexpr bool kCanFollow = false;
  KeyBy by = KeyBy::Luma;
  std::string element;  ///< id: what a difference is taken to; only how it lies and looks counts, not its cover
  /// Luma: scene-linear brightness; `low` above `high` covers what is dark. Chroma: distance from the backing, 0 on it,
  /// 1 for grey. Difference: of square roots of scene-linear values.
  value::Value<double> low = 0.1, high = 0.5;
  value::Value<std::array<double, 3>> backing = std::array<double, 3>{0.1, 0.5, 0.1};  ///< chroma: RGB, scene-linear
  bool operator==(const Keyer&) const = default;
};

template <typename See>
void describe(const Keyer*, See&& see) {
  using value::label;
  see("by", &Keyer::by, label("key by"));
  see("element", &Keyer::element, label("what it is compared with").of("elements", "nothing"));
  see("low", &Keyer::low, label("where it begins").within(-10, 1000).in("", 3).by(0.01));
  see("high", &Keyer::high, label("where it covers all").within(-10, 1000).in("", 3).by(0.01));
  see("backing", &Keyer::backing, label("backing").within(-10, 1000).in("", 3).by(0.01));
}

/// A key, with plain numbers.
struct KeySettings {
  KeyBy by = KeyBy::Luma;
  double low = 0, high = 1;
  std::array<double, 3> backing{};
};

/// How much of each pixel stands before the backing, 0..1. `against`, for a difference, is what would be seen without
/// it, with 1 in its alpha where that is known; elsewhere nothing is covered. Pixels that are surely one or the other
/// by `low` and `high` are 0 or 1; between them the colour is taken apart into its neighbours' sure ones: the part
/// a in P = a F + (1 - a) B by least squares (Porter and Duff 1984; Smith and Blinn 1996, Blue Screen Matting), F and B
/// carried in from both sides (pull-push: Gortler et al. 1996, The Lumigraph).
image::Picture keyed(const image::Picture& picture, const image::Picture* against, const KeySettings& question);

/// How a pixel counts for a question: as `low` and `high` do. `level`: the backing's strength there, of the one given.
double keyScore(const float* rgb, const float* against, const KeySettings& question, double level = 1);

}  // namespace zentil::matte
