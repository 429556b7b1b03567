#include "core/measure/blend.h"

#include <array>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::measure {
namespace {

constexpr float kInside = 0.98f, kOutside = 0.02f;
constexpr int kStrip = 8;    ///< px beside the edge that are looked at for a step
constexpr int kPlace = 24;   ///< px along the edge that are one place
constexpr int kAround = 40;  ///< px around the cover that are looked at
constexpr int kFew = 24;     ///< pixels that say something

/// The finest detail (Immerkaer's mask; 1 for noise of one).
cv::Mat finest(const cv::Mat& m) {
  cv::Mat out;
  cv::filter2D(m, out, CV_32F, (cv::Mat_<float>(3, 3) << 1, -2, 1, -2, 4, -2, 1, -2, 1) / 6);
  return out;
}

/// A mean of squares or products without what is far out.
double meanOf(const std::vector<float>& v) {
  if (v.empty()) return 0;
  std::vector<float> size;
  size.reserve(v.size());
  for (const float x : v) size.push_back(std::abs(x));
  const float most = 30 * medianOf(size);
  double sum = 0;
  size_t n = 0;
  for (const float x : v)
    if (std::abs(x) <= most) sum += x, ++n;
  return n > 0 ? sum / static_cast<double>(n) : 0;
}

}  // namespace

BlendAt blendAt(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame,
                comp::RenderCache& cache) {
  BlendAt out;
  out.frame = frame;
  const auto state = evaluator.at(frame);
  const evaluate::Layer* layer = nullptr;
  for (const auto& l : state.layers)
    if (l.id == elementId) layer = &l;
  const auto cannot = [&](const char* why) {
    out.why = why;
    return out;
  };
  if (!layer) return cannot("it does not show here");
  if (layer->cover.empty()) return cannot("it has no cover whose edge could be looked at");
  const auto look = comp::lookAround(state, *layer, cache, kAround);
  if (look.source.empty()) return cannot("it does not show here");
  const image::Picture made = comp::buildFrame(state, cache);
  // A plate may have pixels in a part of its frame alone.
  const Box box = intersect(intersect(look.source.data, made.data), state.frameBox());
  if (box.empty()) return cannot("it does not show here");
  const cv::Size size(box.width(), box.height());
  cv::Mat inside = cv::Mat::zeros(size, CV_8U), outside = cv::Mat::zeros(size, CV_8U), own(size, CV_32F),
          whole(size, CV_32F);
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const int px = box.x0 + x, py = box.y0 + y;
      const float *s = look.source.pixel(px, py), *p = made.pixel(px, py);
      own.at<float>(y, x) = std::log(std::max((s[0] + s[1] + s[2]) / 3, 1e-4f));
      whole.at<float>(y, x) = std::log(std::max((p[0] + p[1] + p[2]) / 3, 1e-4f));
      if (!(*look.seen.pixel(px, py) > 0.5f)) continue;
      const float a = *look.cover.pixel(px, py);
      inside.at<uchar>(y, x) = a >= kInside ? 255 : 0, outside.at<uchar>(y, x) = a <= kOutside ? 255 : 0;
    }
  // What others lay over it, or over what is around, says nothing of it.
  for (const auto* above = layer + 1; above != state.layers.data() + state.layers.size(); ++above) {
    if (intersect(comp::reachOf(state, *above, cache), box).empty()) continue;
    const image::Picture laid = comp::buildLayer(state, *above, cache, map::Filter::Draft);
    const Box both = intersect(laid.data, box);
    for (int y = both.y0; y < both.y1; ++y)
      for (int x = both.x0; x < both.x1; ++x)
        if (laid.pixel(x, y)[3] > kOutside)
          inside.at<uchar>(y - box.y0, x - box.x0) = outside.at<uchar>(y - box.y0, x - box.x0) = 0;
  }
  // Filters read one pixel around.
  cv::erode(inside, inside, cv::Mat()), cv::erode(outside, outside, cv::Mat());
  cv::Mat fromOutside, fromInside;
  cv::distanceTransform(~outside, fromOutside, cv::DIST_L2, 5);
  cv::distanceTransform(~inside, fromInside, cv::DIST_L2, 5);
  std::vector<double> gaps;
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x)
      if (inside.at<uchar>(y, x) && fromOutside.at<float>(y, x) < kAround) gaps.push_back(fromOutside.at<float>(y, x));
  constexpr size_t kLeast = 200;
  if (gaps.size() < kLeast) return cannot("too little of it, or of the plate around it, is visible here");
  std::sort(gaps.begin(), gaps.end());
  const double soft = gaps[gaps.size() / 50];  // how wide the soft edge is
  // What was done to the source inside, and what it is against the picture outside: the same pixels both times.
  struct Both {
    double in = 0, out = 0;
    int ins = 0, outs = 0;
  };
  std::map<std::pair<int, int>, Both> places;
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const double apart = whole.at<float>(y, x) - own.at<float>(y, x);
      auto& b = places[{x / kPlace, y / kPlace}];
      if (inside.at<uchar>(y, x) && fromOutside.at<float>(y, x) <= soft + kStrip) b.in += apart, ++b.ins;
      if (outside.at<uchar>(y, x) && fromInside.at<float>(y, x) <= soft + kStrip) b.out += apart, ++b.outs;
    }
  std::vector<double> steps;
  steps.reserve(places.size());
  for (const auto& [at, b] : places)
    if (b.ins >= kFew && b.outs >= kFew) steps.push_back(b.in / b.ins - b.out / b.outs);
  constexpr size_t kPlaces = 4;
  if (steps.size() < kPlaces) return cannot("too little of its edge is seen here");
  // Something that passes beside a place is no step: the middle of them counts.
  std::vector<double> sizes;
  sizes.reserve(steps.size());
  for (const double d : steps) sizes.push_back(std::abs(d));
  out.seam = medianOf(sizes);
  const double middle = medianOf(steps);
  for (size_t i = 0; i < steps.size(); ++i) sizes[i] = std::abs(steps[i] - middle);
  out.seamSigma = kSigmasOfMedian * medianOf(sizes) * 1.2533 / std::sqrt(static_cast<double>(steps.size()));
  out.places = static_cast<int>(steps.size());

  // Grain: source and picture share the texture and not the noise, so what they have in common is texture.
  const cv::Mat ownFine = finest(own), wholeFine = finest(whole), laidFine = finest(whole - own);
  std::vector<float> ring, frozen, common, laid;
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const float a = ownFine.at<float>(y, x), b = wholeFine.at<float>(y, x);
      if (outside.at<uchar>(y, x)) ring.push_back(b * b), frozen.push_back(a * a), common.push_back(a * b);
      if (inside.at<uchar>(y, x)) laid.push_back(laidFine.at<float>(y, x) * laidFine.at<float>(y, x));
    }
  if (ring.size() < kLeast || laid.size() < kLeast) return out;
  const double texture = meanOf(common), around = meanOf(ring) - texture, kept = meanOf(frozen) - texture;
  // Where nearly all is in common, nothing is left to compare: strong texture, or a source with the plate's own grain.
  constexpr double kNoGrain = 1e-7, kOfItsOwn = 0.15;
  if (std::abs(around) < kNoGrain && std::abs(kept) < kNoGrain)
    out.grain = 1;  // it is the plate's own frame
  else if (around > kNoGrain && around > kOfItsOwn * meanOf(ring))
    out.grain = std::sqrt(std::max(0.0, meanOf(laid) + std::max(0.0, kept)) / around);
  return out;
}

}  // namespace zentil::measure
