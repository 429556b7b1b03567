#include "core/track/features.h"

#include <opencv2/imgproc.hpp>

namespace zentil::track {

using image::Picture;

namespace {
constexpr int kLargeFrame = 1500;  ///< pixels across
}

std::vector<Vec2> featuresOf(const Picture& frame, const TrackSettings& q, const std::vector<Vec2>& taken,
                             const Picture* allowed) {
  // Large frames are looked at in half their size: a corner need not be met to the pixel.
  const int half = frame.data.width() > kLargeFrame ? 2 : 1;
  const cv::Mat whole(frame.data.height(), frame.data.width(), CV_32F, const_cast<float*>(frame.values.data()));
  cv::Mat smooth, strength;
  if (half == 2)
    cv::resize(whole, smooth, {}, 0.5, 0.5, cv::INTER_AREA);
  else
    cv::GaussianBlur(whole, smooth, {0, 0}, 0.8);
  cv::cornerMinEigenVal(smooth, strength, std::max(5, q.half) / half, 3);
  const int w = strength.cols, h = strength.rows;
  // What flat areas show is grain; where nothing is flat, a tenth of what is strong will do.
  std::vector<float> some;
  for (int y = 2; y < h; y += 7)
    for (int x = 2; x < w; x += 7) some.push_back(strength.at<float>(y, x));
  if (some.empty()) return {};
  std::sort(some.begin(), some.end());
  const double grain = some[some.size() / 10], texture = some[some.size() * 9 / 10];
  const bool anyFlat = grain < 0.1 * texture;
  double most = 0;
  cv::minMaxLoc(strength, nullptr, &most);
  const float floor = static_cast<float>(std::max({anyFlat ? q.strength * grain : 0.1 * texture, 1e-3 * most, 1e-9}));
  // Peaks, by parts of the frame.
  cv::Mat widened;
  cv::dilate(strength, widened, cv::getStructuringElement(cv::MORPH_RECT, half == 2 ? cv::Size(3, 3) : cv::Size(7, 7)));
  const int rim = (q.half + 2 + half - 1) / half;
  const int columns = 12, rows = std::max(1, columns * h / std::max(1, w));
  struct Peak {
    float strength;
    Vec2 at;
  };
  std::vector<std::vector<Peak>> parts(static_cast<size_t>(columns) * rows);
  for (int y = rim; y < h - rim; ++y)
    for (int x = rim; x < w - rim; ++x) {
      const float s = strength.at<float>(y, x);
      if (s < floor || s < widened.at<float>(y, x)) continue;
      const Vec2 at = half * Vec2(x + 0.5, y + 0.5);
      if (allowed && *allowed->pixel(static_cast<int>(at.x()), static_cast<int>(at.y())) < 0.5f) continue;
      parts[static_cast<size_t>(y * rows / h) * columns + x * columns / w].push_back({s, at});
    }
  for (auto& p : parts)
    std::sort(p.begin(), p.end(), [](const Peak& a, const Peak& b) { return a.strength > b.strength; });
  // Every part in turn gives its best that is far enough from what is there; full parts have had their turns already.
  std::vector<Vec2> near = taken, out;
  std::vector<int> turns(parts.size(), 0);
  for (const Vec2& t : taken) {
    const int c = std::clamp(static_cast<int>(t.x() / half * columns / w), 0, columns - 1),
              r = std::clamp(static_cast<int>(t.y() / half * rows / h), 0, rows - 1);
    ++turns[static_cast<size_t>(r) * columns + c];
  }
  std::vector<size_t> next(parts.size(), 0);
  const auto wanted = static_cast<size_t>(std::max(0, q.count - static_cast<int>(taken.size())));
  for (int round = 1; out.size() < wanted; ++round) {
    bool any = false;
    for (size_t k = 0; k < parts.size() && out.size() < wanted; ++k) {
      if (turns[k] >= round) {
        any |= next[k] < parts[k].size();
        continue;
      }
      while (next[k] < parts[k].size()) {
        const Vec2 at = parts[k][next[k]++].at;
        const bool free = std::none_of(near.begin(), near.end(),
                                       [&](const Vec2& o) { return (o - at).squaredNorm() < q.spacing * q.spacing; });
        if (!free) continue;
        near.push_back(at), out.push_back(at);
        ++turns[k];
        any = true;
        break;
      }
    }
    if (!any) break;
  }
  return out;
}

}  // namespace zentil::track
