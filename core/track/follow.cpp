#include "core/track/follow.h"

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/track/pattern.h"

namespace zentil::track {

using image::Picture;

namespace {

constexpr double kSmooth = 0.8;        ///< patterns are compared on frames smoothed by this, pixels
constexpr double kAlike = 0.85;        ///< least correlation with the first appearance
constexpr double kThereAndBack = 0.5;  ///< farthest that a step may come back to from where it started, pixels

cv::Mat asMat(const Picture& p) {
  return {p.data.height(), p.data.width(), CV_32F, const_cast<float*>(p.values.data())};
}

/// A frame in the two forms that following needs.
struct Prepared {
  cv::Mat smooth;                ///< floats
  std::vector<cv::Mat> pyramid;  ///< 8 bit, with borders
  image::Grey grey() const { return {smooth.ptr<float>(), smooth.cols, smooth.rows}; }
};

const cv::Size kWindow(15, 15);
constexpr int kLevels = 3;

std::shared_ptr<Prepared> prepare(const Picture& p) {
  auto out = std::make_shared<Prepared>();
  const cv::Mat m = asMat(p);
  cv::GaussianBlur(m, out->smooth, {0, 0}, kSmooth, kSmooth, cv::BORDER_REPLICATE);
  cv::Mat eight;
  m.convertTo(eight, CV_8U, 220);
  cv::buildOpticalFlowPyramid(eight, out->pyramid, kWindow, kLevels);
  return out;
}

/// What is followed, with what it looks like.
struct Live {
  Track track;
  std::shared_ptr<Pattern> pattern;
  Pattern::Pose pose;
  bool lost = false;
};

/// One step of all that is alive, from one frame to the next; those that are lost say so.
void step(const Prepared& from, const Prepared& to, int width, int height, std::vector<Live*>& live, int half) {
  if (live.empty()) return;
  std::vector<cv::Point2f> before, after, back;
  for (const Live* l : live)
    before.emplace_back(static_cast<float>(l->pose.at.x() - 0.5), static_cast<float>(l->pose.at.y() - 0.5));
  std::vector<uchar> there, andBack;
  std::vector<float> error;
  const cv::TermCriteria stop(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 30, 0.01);
  cv::calcOpticalFlowPyrLK(from.pyramid, to.pyramid, before, after, there, error, kWindow, kLevels, stop);
  back = before;
  cv::calcOpticalFlowPyrLK(to.pyramid, from.pyramid, after, back, andBack, error, kWindow, kLevels, stop,
                           cv::OPTFLOW_USE_INITIAL_FLOW);
  parallelRanges(0, static_cast<int>(live.size()), 8, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const auto k = static_cast<size_t>(i);
      Live& l = *live[k];
      l.lost = true;
      if (!there[k] || !andBack[k] || cv::norm(back[k] - before[k]) > kThereAndBack) continue;
      Pattern::Pose pose = l.pose;
      pose.at = Vec2(after[k].x + 0.5, after[k].y + 0.5);
      const double rim = half * 0.6;
      const auto inside = [&](const Vec2& p) {
        return p.x() > rim && p.y() > rim && p.x() < width - rim && p.y() < height - rim;
      };
      if (!inside(pose.at)) continue;
      const Vec2 guess = pose.at;
      auto answer = l.pattern->find(to.grey(), pose);
      if (answer.found && (pose.at - guess).norm() > 1.5) answer.found = false;
      if (!answer.found || answer.alike < kAlike || !inside(pose.at)) continue;
      l.pose = pose;
      l.lost = false;
    }
  });
}

}  // namespace

Picture brightnessOf(const Picture& p) {
  Picture out = Picture::unset(p.display, p.display, 1);
  parallelRanges(p.display.y0, p.display.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = p.display.x0; x < p.display.x1; ++x) {
        const float* v = p.data.contains(x, y) ? p.pixel(x, y) : nullptr;
        const float b = !v ? 0 : p.channels >= 3 ? image::brightness(v) : std::sqrt(std::max(0.0f, v[0]));
        *out.pixel(x, y) = b < 1e3f ? b : 0;  // what is not a number is no brightness
      }
  });
  return out;
}

std::vector<Vec2> featuresOf(const Picture& frame, const FollowQuestion& q, const std::vector<Vec2>& taken,
                             const Picture* allowed) {
  const int w = frame.data.width(), h = frame.data.height();
  cv::Mat smooth, strength;
  cv::GaussianBlur(asMat(frame), smooth, {0, 0}, kSmooth);
  cv::cornerMinEigenVal(smooth, strength, std::max(5, q.half), 3);
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
  cv::dilate(strength, widened, cv::getStructuringElement(cv::MORPH_RECT, {7, 7}));
  const int rim = q.half + 2;
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
      if (allowed && *allowed->pixel(x, y) < 0.5f) continue;
      parts[static_cast<size_t>(y * rows / h) * columns + x * columns / w].push_back({s, Vec2(x + 0.5, y + 0.5)});
    }
  for (auto& p : parts)
    std::sort(p.begin(), p.end(), [](const Peak& a, const Peak& b) { return a.strength > b.strength; });
  // Every part in turn gives its best that is far enough from what is there; full parts have had their turns already.
  std::vector<Vec2> near = taken, out;
  std::vector<int> turns(parts.size(), 0);
  for (const Vec2& t : taken) {
    const int c = std::clamp(static_cast<int>(t.x() * columns / w), 0, columns - 1),
              r = std::clamp(static_cast<int>(t.y() * rows / h), 0, rows - 1);
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

Tracks follow(const FrameSource& frames, const FrameRange& range, const FollowQuestion& q, const Job& job,
              const AllowedSource& allowed) {
  std::vector<std::unique_ptr<Live>> all;
  std::vector<Live*> live;
  const auto positions = [&] {
    std::vector<Vec2> out;
    out.reserve(live.size());
    for (const Live* l : live) out.push_back(l->pose.at);
    return out;
  };
  const int total = 2 * range.count();
  int steps = 0;
  const auto report = [&](int f) {
    job.report(static_cast<double>(steps++) / total, fmt::format("frame {}, {} features", f, live.size()));
  };
  const auto barred = [&](const Picture* matte, const Vec2& p) {
    const int x = static_cast<int>(p.x()), y = static_cast<int>(p.y());
    return matte && (!matte->data.contains(x, y) || *matte->pixel(x, y) < 0.5f);
  };
  std::shared_ptr<Prepared> before;
  // Forwards, with new ones as it goes.
  for (int f = range.first; f <= range.last && !job.stopped(); ++f) {
    report(f);
    const auto picture = frames(f);
    const auto matte = allowed ? allowed(f) : nullptr;
    const auto now = prepare(*picture);
    const int w = picture->data.width(), h = picture->data.height();
    if (before && before->smooth.size() == now->smooth.size()) {
      step(*before, *now, w, h, live, q.half);
      for (Live* l : live)
        if (!l->lost && !barred(matte.get(), l->pose.at))
          l->track.at.push_back(l->pose.at);
        else
          l->lost = true;
      std::erase_if(live, [](const Live* l) { return l->lost; });
    } else {
      live.clear();
    }
    const bool due = !before || (f - range.first) % 4 == 0 || static_cast<int>(live.size()) < q.count * 7 / 10;
    if (due && f < range.last && static_cast<int>(live.size()) < q.count * 95 / 100)
      for (const Vec2& at : featuresOf(*picture, q, positions(), matte.get())) {
        auto l = std::make_unique<Live>();
        l->pattern = std::make_shared<Pattern>(now->grey(), at, q.half);
        if (!l->pattern->holds()) continue;
        l->track.id = static_cast<int>(all.size()) + 1;
        l->track.first = f;
        l->track.at = {at};
        l->pose.at = at;
        live.push_back(l.get());
        all.push_back(std::move(l));
      }
    before = now;
  }
  if (all.empty() && !job.stopped())
    throw Error("nothing in these frames can be followed: there is no texture",
                "Ask for weaker features, or check the "
                "frames and the matte");
  // Backwards, each from where it first appeared.
  live.clear();
  before.reset();
  for (int f = range.last; f >= range.first && !job.stopped(); --f) {
    report(f);
    const bool needed = !live.empty() || std::any_of(all.begin(), all.end(), [&](const auto& l) {
      return l->track.first == f && f > range.first;
    });
    if (!needed) {
      before.reset();
      continue;
    }
    const auto picture = frames(f);
    const auto matte = allowed ? allowed(f) : nullptr;
    const auto now = prepare(*picture);
    if (before && before->smooth.size() == now->smooth.size()) {
      step(*before, *now, picture->data.width(), picture->data.height(), live, q.half);
      for (Live* l : live)
        if (!l->lost && !barred(matte.get(), l->pose.at)) {
          l->track.at.insert(l->track.at.begin(), l->pose.at);
          l->track.first = f;
        } else {
          l->lost = true;
        }
      std::erase_if(live, [](const Live* l) { return l->lost; });
    } else {
      live.clear();
    }
    for (const auto& l : all)
      if (l->track.first == f && std::find(live.begin(), live.end(), l.get()) == live.end()) {
        l->pose = {l->track.at.front(), Mat2::Identity()};
        live.push_back(l.get());
      }
    before = now;
  }
  Tracks out;
  for (const auto& l : all)
    if (l->track.length() >= q.least) out.push_back(std::move(l->track));
  return out;
}

}  // namespace zentil::track
