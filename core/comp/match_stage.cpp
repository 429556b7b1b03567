#include "core/comp/finish.h"

namespace zentil::comp {

void match(image::Picture& layer, const element::Match& stage) {
  const auto gain = stage.gain.constant(), offset = stage.offset.constant();
  if (const auto s = static_cast<float>(stage.saturation.constant()); s != 1)
    for (size_t i = 0; i < layer.values.size(); i += 4) {
      float* v = layer.values.data() + i;
      // Luminance by Rec. ITU-R BT.709; linear, so multiplied by alpha or not is the same.
      const float grey = 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2];
      for (int c = 0; c < 3; ++c) v[c] = grey + s * (v[c] - grey);
    }
  if (gain == element::Rgb{1, 1, 1} && offset == element::Rgb{0, 0, 0}) return;
  float g[3], o[3];
  for (size_t c = 0; c < 3; ++c) g[c] = static_cast<float>(gain[c]), o[c] = static_cast<float>(offset[c]);
  for (size_t i = 0; i < layer.values.size(); i += 4)
    for (int c = 0; c < 3; ++c) layer.values[i + c] = layer.values[i + c] * g[c] + o[c] * layer.values[i + 3];
}

template <>
int FinishStage<element::Match>::padding(const element::Match&) {
  return 0;
}

template <>
void FinishStage<element::Match>::apply(const element::Match& stage, FinishLayer& layer) {
  match(layer.picture, stage);
}

}  // namespace zentil::comp
