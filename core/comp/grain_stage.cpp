#include <cmath>

#include "core/comp/finish.h"

namespace zentil::comp {

template <>
int FinishStage<element::FreshGrain>::padding(const element::FreshGrain&) {
  return 0;
}

template <>
void FinishStage<element::FreshGrain>::apply(const element::FreshGrain& stage, FinishLayer& out) {
  const evaluate::Layer& layer = out.making.layer;
  if (!layer.grain) return;
  // As much of the plate's as there is none left.
  const double strength = stage.grain.constant();
  if (out.grainPerPixel.empty())
    return image::addGrain(out.picture, *layer.grain, layer.frame,
                           strength * std::sqrt(std::max(0.0, 1 - out.grainLeft)));
  // Where none is wanted there is nothing to lay it on.
  image::Picture whole = out.picture;
  const auto partOf = [&](size_t i) { return std::sqrt(std::clamp(1 - out.grainPerPixel.values[i], 0.0f, 1.0f)); };
  for (size_t i = 0; i < out.grainPerPixel.values.size(); ++i)
    if (!(partOf(i) > 0)) whole.values[4 * i + 3] = 0;
  image::addGrain(whole, *layer.grain, layer.frame, strength);
  for (size_t i = 0; i < out.grainPerPixel.values.size(); ++i) {
    const float part = partOf(i);
    for (size_t c = 0; c < 3 && part > 0; ++c) {
      float& v = out.picture.values[4 * i + c];
      v += part * (whole.values[4 * i + c] - v);
    }
  }
}

}  // namespace zentil::comp
