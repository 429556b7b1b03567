#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/comp/edge_sigma.h"
#include "core/comp/finish.h"
#include "core/comp/gaussian.h"
#include "core/comp/plate_layer.h"

namespace zentil::comp {

using image::Picture;

namespace {

constexpr double kMostPx = 4;         ///< softened by at the most
constexpr double kSharpenOver = 1;    ///< px: sharpened by what a Gaussian of this much takes away
constexpr double kMostSharpened = 2;  ///< times that; more rings
constexpr int kRounds = 4;

/// 1 where a picture is opaque, and so far around that an edge there is none of its border.
Picture wellInside(const Picture& picture) {
  cv::Mat opaque(picture.data.height(), picture.data.width(), CV_32F);
  for (size_t i = 0; i < opaque.total(); ++i) opaque.ptr<float>()[i] = picture.values[4 * i + 3] > 0.99f ? 1.0f : 0.0f;
  constexpr int kReach = 13;
  cv::erode(opaque, opaque, cv::getStructuringElement(cv::MORPH_RECT, {kReach, kReach}), {-1, -1}, 1,
            cv::BORDER_REPLICATE);
  Picture out(picture.data, picture.display, 1);
  std::copy_n(opaque.ptr<float>(), opaque.total(), out.values.data());
  return out;
}

/// The plate's own edges around the layer, and, where there are too few, in the whole frame.
std::optional<double> sigmaOfPlate(const FinishLayer& layer) {
  const SourceContext& m = layer.making;
  const Box frame = m.state.frameBox();
  constexpr int kMargin = 80;
  for (const Box& box : {intersect(layer.picture.data.grown(kMargin), frame), frame}) {
    const Picture plate = plateLayer(m.state, box, 0, m.filter, m.cache);
    // Not where the layer will be, and not at the plate's own border.
    Picture around = wellInside(plate);
    const Box both = intersect(layer.picture.data, box);
    for (int y = both.y0; y < both.y1; ++y)
      for (int x = both.x0; x < both.x1; ++x)
        if (layer.matte.empty() ? layer.picture.pixel(x, y)[3] > 0 : *layer.matte.pixel(x, y) > 0)
          *around.pixel(x, y) = 0;
    if (const auto sigma = edgeSigma(plate, &around)) return sigma;
  }
  return {};
}

/// The layer's own: edges in what is opaque.
std::optional<double> sigmaOf(const Picture& picture) {
  const Picture opaque = wellInside(picture);
  return edgeSigma(picture, &opaque);
}

/// Softened (above 0: by so many px) or sharpened (below: times so much).
Picture changed(const Picture& from, double by) {
  Picture out = from;
  if (by > 0) {
    blur(out, by);
  } else if (by < 0) {
    Picture soft = from;
    blur(soft, kSharpenOver);
    for (size_t i = 0; i < out.values.size(); ++i) {
      out.values[i] -= static_cast<float>(by) * (out.values[i] - soft.values[i]);
      if (i % 4 == 3) out.values[i] = std::clamp(out.values[i], 0.0f, 1.0f);
    }
  }
  return out;
}

}  // namespace

template <>
int FinishStage<element::PlateSoftness>::padding(const element::PlateSoftness& stage) {
  return stage.softAsPlate ? gaussianReach(kMostPx) : 0;
}

template <>
void FinishStage<element::PlateSoftness>::apply(const element::PlateSoftness& stage, FinishLayer& layer) {
  if (!stage.softAsPlate) return;
  const auto own = sigmaOf(layer.picture);
  // Without an edge of its own it is as soft as anything.
  if (!own) return;
  const auto wanted = sigmaOfPlate(layer);
  if (!wanted)
    throw Error(fmt::format("\"{}\": the plate has too few edges on frame {} to be as soft as they are",
                            layer.making.layer.name, layer.making.layer.frame),
                "Set its softness by hand, and its sharpness to its own");
  const double square = *wanted * *wanted - *own * *own;
  double by = square > 0 ? std::min(kMostPx, std::sqrt(square))
                         : std::max(-kMostSharpened, square / (kSharpenOver * kSharpenOver));
  Picture out = changed(layer.picture, by);
  // What edges say of themselves is not quite a step's: by how much too little or too much it was is corrected.
  for (int round = 1; round < kRounds && by != 0; ++round) {
    const auto now = sigmaOf(out);
    if (!now || std::abs(*now - *wanted) < 0.01) break;
    const double left = *wanted * *wanted - *now * *now;
    by = by > 0 ? std::clamp(std::sqrt(std::max(0.0, by * by + left)), 0.0, kMostPx)
                : std::clamp(by + left / (kSharpenOver * kSharpenOver), -kMostSharpened, 0.0);
    out = changed(layer.picture, by);
  }
  layer.picture = std::move(out);
}

}  // namespace zentil::comp
