#include "core/comp/undistort.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/value/hash.h"

namespace zentil::comp {

using image::Picture;

Picture straightened(const Picture& plate, const evaluate::SceneState& stage, const Box& box, map::Filter filter) {
  return map::resample(plate, map::Redistort(stage.lens), box, box, filter);
}

namespace {

/// 1 where the painted picture is not what straightening gives, with a soft border.
Picture touched(const Picture& painted, const Picture& own) {
  cv::Mat mask(own.data.height(), own.data.width(), CV_8U);
  for (int y = 0; y < mask.rows; ++y)
    for (int x = 0; x < mask.cols; ++x) {
      const float *a = painted.pixel(painted.data.x0 + x, painted.data.y0 + y),
                  *b = own.pixel(own.data.x0 + x, own.data.y0 + y);
      bool differs = false;
      // Half floats step by one part in 2048; twice that, and a little for files kept with loss.
      for (int c = 0; c < 3; ++c) differs |= std::abs(a[c] - b[c]) > 0.002f * (std::abs(b[c]) + 0.05f);
      mask.at<uchar>(y, x) = differs ? 255 : 0;
    }
  cv::dilate(mask, mask, cv::getStructuringElement(cv::MORPH_ELLIPSE, {7, 7}));
  cv::Mat soft;
  mask.convertTo(soft, CV_32F, 1 / 255.0);
  cv::blur(soft, soft, {5, 5});
  Picture out = Picture::unset(own.data, own.display, 1);
  std::copy_n(soft.ptr<float>(), out.values.size(), out.values.data());
  return out;
}

image::Frame mendedFrame(const evaluate::SceneState& stage, const image::Frame& plate, const Picture& given,
                         const Box& box) {
  Picture painted = given;
  painted.data = painted.display = box;
  const Picture own = straightened(plate.forReading(), stage, box, map::Filter::Sharper);
  const map::Undistort bend(stage.lens);
  const Box all = stage.frameBox;
  const Picture where = map::resample(touched(painted, own), bend, all, all, map::Filter::Draft),
                what = map::resample(painted, bend, all, all, map::Filter::Sharper, nullptr, &where);
  image::Frame out;
  out.hasAlpha = plate.hasAlpha, out.wasHalf = plate.wasHalf;
  out.picture = plate.forReading();
  for (int y = all.y0; y < all.y1; ++y)
    for (int x = all.x0; x < all.x1; ++x) {
      const float m = *where.pixel(x, y);
      if (m <= 0 || !out.picture.data.contains(x, y)) continue;
      float* p = out.picture.pixel(x, y);
      for (int c = 0; c < 3; ++c) p[c] += m * (what.pixel(x, y)[c] - p[c]);
    }
  return out;
}

}  // namespace

RenderCache::FramePtr heldFrame(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache) {
  const auto& plate = layer.files.at(0);
  if (layer.files.size() == 1) return cache.frame(plate);
  const auto& file = layer.files[1];
  auto clean = cache.frame(file);
  const Box size = clean->picture.display, data = clean->picture.data, frame = state.frameBox();
  if (size == frame) return clean;
  const Box box = state.straight();
  if (size.width() != box.width() || size.height() != box.height() || data != size)
    throw Error(fmt::format("\"{}\": {} is {} x {}; the plate is {} x {}, straight {} x {}", layer.name,
                            file.files.fileOf(file.frame), size.width(), size.height(), frame.width(), frame.height(),
                            box.width(), box.height()),
                "A clean picture replaces a plate frame, as shot or undistorted, and has its size");
  value::Hasher h;
  h.add("mended").add(plate.key()).add(file.key()).add(layer.held->key).add(box.x0).add(box.y0);
  return cache.made(h.key(), clean->bytes(),
                    [&] { return mendedFrame(*layer.held, *cache.frame(plate), clean->picture, box); });
}

}  // namespace zentil::comp
