#include "core/comp/fill_source.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/comp/cover.h"
#include "core/comp/rimmed_frame.h"
#include "core/value/hash.h"

namespace zentil::comp {

using image::Picture;
using map::MapPtr;

namespace {
constexpr float kGoes = 0.02f;  ///< of a matte, from which on a pixel has to go

/// How far off it a pixel is: smoothly from 0 at its edge to 1 at kClearPx.
Picture clearOf(const Picture& removal) {
  const int w = removal.data.width(), h = removal.data.height();
  cv::Mat away;
  cv::distanceTransform(cv::Mat(h, w, CV_32F, const_cast<float*>(removal.values.data())) <= kGoes, away, cv::DIST_L2,
                        cv::DIST_MASK_PRECISE);
  Picture out(removal.data, removal.display, 1);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float t = std::clamp((away.at<float>(y, x) - 1) / kClearPx, 0.0f, 1.0f);
      *out.pixel(removal.data.x0 + x, removal.data.y0 + y) = t * t * (3 - 2 * t);
    }
  return out;
}

}  // namespace

MapPtr scaled(double by) { return std::make_shared<map::Homography>(Vec3(by, by, 1).asDiagonal()); }

Giving::Giving(const evaluate::Layer& layer, size_t which, RenderCache& cache)
    : scale_(layer.sources[which].file.scale) {
  const auto& fillSource = layer.sources[which];
  picture_ = rimmedFrame(cache.frame(fillSource.file), fillSource.file.key(), fillSource.stage->around, cache);
  ride_ = followMap(layer.place, *layer.held, *fillSource.stage, Sees::Face, cache);
  if (fillSource.excluded.empty()) return;
  const uint64_t key = value::Hasher().add("removal").add(layer.sourcesKey).add(static_cast<uint64_t>(which)).key();
  goes_ = cache.picture(
      key, 0, [&] { return coverOver(fillSource.excluded, *fillSource.stage, fillSource.stage->frameBox, cache); });
  clear_ = cache.picture(value::Hasher().add("clear").add(key).key(), 0, [&] { return clearOf(*goes_); });
}

Sight Giving::over(const MapPtr& to, const Box& region, map::Filter filter) const {
  map::Chain ride, read;
  ride.add(to), ride.add(ride_);
  read.add(to), read.add(ride_);
  if (scale_ != 1) read.add(scaled(scale_));
  Sight out;
  out.colour = map::resample(*picture_, read, region, region, filter, &out.seen);
  Picture removal;
  if (goes_) {
    removal = map::resample(*goes_, ride, region, region, map::Filter::Draft);
    out.clear = map::resample(*clear_, ride, region, region, map::Filter::Draft);
  }
  for (size_t i = 0; i < out.seen.values.size(); ++i) {
    const float* v = out.colour.values.data() + 4 * i;
    float& s = out.seen.values[i];
    s = s > 0.5f && std::isfinite(v[0] + v[1] + v[2]) && (removal.empty() || removal.values[i] <= kGoes) ? 1.0f : 0.0f;
  }
  return out;
}

double Giving::sharpness(const MapPtr& to, const Vec2& at) const {
  map::Chain ride;
  ride.add(to), ride.add(ride_);
  return scale_ * map::minSingularValue(ride, at);
}

std::array<float, 3> gainAt(const LightAround& light, const Vec2& at) {
  std::array<float, 3> out{1, 1, 1};
  if (light.known)
    for (size_t c = 0; c < 3; ++c)
      out[c] = static_cast<float>(std::exp(light.logGain[c] + light.perPx[c].dot(at - light.centre)));
  return out;
}

}  // namespace zentil::comp
