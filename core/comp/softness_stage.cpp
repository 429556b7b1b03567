#include "core/comp/finish.h"
#include "core/comp/gaussian.h"

namespace zentil::comp {

using image::Picture;

namespace {

/// Its own edge softened: alpha alone, with the colours beyond it as those beside it.
void softenEdge(Picture& picture, double sigmaPx) {
  Picture soft = picture;
  blur(soft, sigmaPx);
  for (size_t i = 0; i < picture.values.size(); i += 4) {
    float *own = picture.values.data() + i, *blurred = soft.values.data() + i;
    const float alpha = blurred[3];
    const float* from = own[3] > 0 ? own : blurred;
    const float times = from[3] > 0 ? alpha / from[3] : 0;
    for (int c = 0; c < 3; ++c) own[c] = from[c] * times;
    own[3] = alpha;
  }
}

}  // namespace

template <>
int FinishStage<element::Softness>::padding(const element::Softness& stage) {
  return gaussianReach(stage.softnessPx.constant());
}

template <>
void FinishStage<element::Softness>::apply(const element::Softness& stage, FinishLayer& layer) {
  const double sigma = stage.softnessPx.constant();
  if (!(sigma > 0)) return;
  if (stage.softnessOf == element::SoftnessOf::Picture) {
    blur(layer.picture, sigma);
    // What was its own grain is averaged over so much (the sum of a Gaussian's squares), once it is wider than a pixel.
    layer.grainLeft /= std::max(1.0, 4 * M_PI * sigma * sigma);
    for (float& v : layer.grainPerPixel.values) v /= static_cast<float>(std::max(1.0, 4 * M_PI * sigma * sigma));
    return;
  }
  softenEdge(layer.picture, sigma);
  if (!layer.matte.empty()) blur(layer.matte, sigma);
}

}  // namespace zentil::comp
