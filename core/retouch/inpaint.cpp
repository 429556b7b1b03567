#include "core/retouch/inpaint.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace zentil::retouch {
namespace {

constexpr int kHalf = 3;           ///< pieces of 7 x 7 pixels
constexpr double kThin = 4;        ///< px from the hole's edge to its middle, up to which it is thin
constexpr float kBlack = 0.0025f;  ///< below it differences count less than in proportion

/// One size of the picture.
struct Level {
  cv::Mat colour;  ///< CV_32FC3, scene-linear
  cv::Mat felt;    ///< the same as differences are felt
  cv::Mat hole;    ///< CV_8U: 255 is to be closed
  cv::Mat usable;  ///< CV_8U: 255 at the middle of a piece without hole
  cv::Mat wanted;  ///< CV_8U: 255 at the middle of a piece that has some
};

/// Numbers that jump about, the same everywhere (Knuth's and Lewis's constants, Numerical Recipes 1992, 7.1).
class Dice {
 public:
  explicit Dice(uint32_t seed) : state_(seed * 2654435761u + 1) {}
  int upTo(int n) {
    state_ = state_ * 1664525u + 1013904223u;
    return static_cast<int>((static_cast<uint64_t>(state_) * static_cast<uint64_t>(n)) >> 32);
  }

 private:
  uint32_t state_;
};

cv::Mat felt(const cv::Mat& colour) {
  cv::Mat out(colour.size(), CV_32FC3);
  for (int y = 0; y < colour.rows; ++y)
    for (int x = 0; x < colour.cols; ++x)
      for (int c = 0; c < 3; ++c)
        out.at<cv::Vec3f>(y, x)[c] = std::log(std::max(colour.at<cv::Vec3f>(y, x)[c], 0.0f) + kBlack);
  return out;
}

void prepare(Level& l) {
  l.felt = felt(l.colour);
  const cv::Mat piece = cv::Mat::ones(2 * kHalf + 1, 2 * kHalf + 1, CV_8U);
  cv::dilate(l.hole, l.wanted, piece);
  l.usable = ~l.wanted;
  // A piece lies wholly inside.
  const cv::Rect inside(kHalf, kHalf, l.hole.cols - 2 * kHalf, l.hole.rows - 2 * kHalf);
  cv::Mat whole = cv::Mat::zeros(l.hole.size(), CV_8U);
  whole(inside).setTo(255);
  l.usable &= whole, l.wanted &= whole;
}

float apart(const Level& l, int x, int y, int u, int v, float atMost) {
  float sum = 0;
  for (int dy = -kHalf; dy <= kHalf && sum < atMost; ++dy) {
    const float* a = l.felt.ptr<float>(y + dy) + 3 * (x - kHalf);
    const float* b = l.felt.ptr<float>(v + dy) + 3 * (u - kHalf);
    for (int i = 0; i < 3 * (2 * kHalf + 1); ++i) sum += (a[i] - b[i]) * (a[i] - b[i]);
  }
  return sum;
}

using Field = cv::Mat_<cv::Vec2i>;

/// A better piece for each place: its neighbours' moved along, and others ever nearer to the one it has.
void search(const Level& l, Field& field, cv::Mat_<float>& error, int round) {
  const int w = l.hole.cols, h = l.hole.rows;
  constexpr int kBand = 32;
  const int bands = (h + kBand - 1) / kBand;
  // Bands by themselves, so that it comes out alike however many cores there are.
  parallelRanges(0, bands, 1, [&](int first, int last) {
    for (int band = first; band < last; ++band) {
      Dice dice(static_cast<uint32_t>(round * 7919 + band));
      const int y0 = band * kBand, y1 = std::min(h, y0 + kBand);
      const bool back = round % 2;
      for (int i = 0; i < (y1 - y0) * w; ++i) {
        const int k = back ? (y1 - y0) * w - 1 - i : i;
        const int x = k % w, y = y0 + k / w;
        if (!l.wanted.at<uchar>(y, x)) continue;
        cv::Vec2i& best = field(y, x);
        float& e = error(y, x);
        const auto offer = [&](int u, int v) {
          if (u < 0 || v < 0 || u >= w || v >= h || !l.usable.at<uchar>(v, u)) return;
          const float d = apart(l, x, y, u, v, e);
          if (d < e) e = d, best = {u, v};
        };
        const int s = back ? 1 : -1;
        if (x + s >= 0 && x + s < w && l.wanted.at<uchar>(y, x + s)) offer(field(y, x + s)[0] - s, field(y, x + s)[1]);
        if (y + s >= y0 && y + s < y1 && l.wanted.at<uchar>(y + s, x))
          offer(field(y + s, x)[0], field(y + s, x)[1] - s);
        for (int r = std::max(w, h); r >= 1; r /= 2)
          offer(best[0] + dice.upTo(2 * r + 1) - r, best[1] + dice.upTo(2 * r + 1) - r);
      }
    }
  });
}

/// Each pixel of the hole as the pieces that lie over it have it, those that fit well before all.
void vote(Level& l, const Field& field, const cv::Mat_<float>& error) {
  std::vector<float> all;
  for (int y = 0; y < l.hole.rows; ++y)
    for (int x = 0; x < l.hole.cols; ++x)
      if (l.wanted.at<uchar>(y, x)) all.push_back(error(y, x));
  if (all.empty()) return;
  const auto at = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 4);
  std::nth_element(all.begin(), at, all.end());
  const float scale = std::max(2 * *at, 1e-4f);
  cv::Mat next = l.colour.clone();
  parallelRanges(0, l.hole.rows, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < l.hole.cols; ++x) {
        if (!l.hole.at<uchar>(y, x)) continue;
        cv::Vec3f sum(0, 0, 0);
        float weight = 0;
        for (int dy = -kHalf; dy <= kHalf; ++dy)
          for (int dx = -kHalf; dx <= kHalf; ++dx) {
            const int px = x + dx, py = y + dy;
            if (px < 0 || py < 0 || px >= l.hole.cols || py >= l.hole.rows || !l.wanted.at<uchar>(py, px)) continue;
            const float k = std::exp(-std::min(error(py, px) / scale, 60.0f)) + 1e-12f;
            sum += k * l.colour.at<cv::Vec3f>(field(py, px)[1] - dy, field(py, px)[0] - dx);
            weight += k;
          }
        if (weight > 0) next.at<cv::Vec3f>(y, x) = sum / weight;
      }
  });
  l.colour = next;
  l.felt = felt(l.colour);
}

/// Any piece for each place to begin from.
void scatter(const Level& l, Field& field, cv::Mat_<float>& error) {
  std::vector<cv::Point> places;
  cv::findNonZero(l.usable, places);
  if (places.empty())
    throw Error("there is nothing around the hole to close it from", "Close a smaller one, or clone from elsewhere");
  Dice dice(1);
  for (int y = 0; y < l.hole.rows; ++y)
    for (int x = 0; x < l.hole.cols; ++x)
      if (l.wanted.at<uchar>(y, x)) {
        const auto& p = places[static_cast<size_t>(dice.upTo(static_cast<int>(places.size())))];
        field(y, x) = {p.x, p.y};
        error(y, x) = apart(l, x, y, p.x, p.y, 1e30f);
      }
}

/// Carries on what meets the hole's edge.
void carryOn(cv::Mat& colour, const cv::Mat& hole, double radius) {
  std::vector<cv::Mat> channels;
  cv::split(colour, channels);
  constexpr double kFine = 1e5;  // OpenCV rounds to whole numbers, floats too
  for (auto& c : channels) {
    cv::Mat out;
    cv::inpaint(c * kFine, hole, out, radius, cv::INPAINT_TELEA);
    c = out / kFine;
  }
  cv::merge(channels, colour);
}

/// ...as a skin stretched over the hole: what lies between its edges is as even as they allow, which is what is nearest
/// to any texture in the mean. `places`: the hole's pixels; `known`: those that have a colour, in the hole too.
void stretch(cv::Mat& colour, const std::vector<cv::Point>& places, const cv::Mat& known, float relaxation,
             int rounds) {
  for (int round = 0; round < rounds; ++round)
    for (const auto& p : places) {
      cv::Vec3f sum(0, 0, 0);
      float n = 0;
      for (const auto& [dx, dy] : {std::pair(-1, 0), {1, 0}, {0, -1}, {0, 1}}) {
        const int x = p.x + dx, y = p.y + dy;
        if (x < 0 || y < 0 || x >= colour.cols || y >= colour.rows || !known.at<uchar>(y, x)) continue;
        sum += colour.at<cv::Vec3f>(y, x), ++n;
      }
      if (n > 0) colour.at<cv::Vec3f>(p) += relaxation * (sum / n - colour.at<cv::Vec3f>(p));
    }
}

cv::Mat byPieces(const cv::Mat& colour, const cv::Mat& hole, double deep) {
  std::vector<Level> levels(1);
  levels[0].colour = colour.clone(), levels[0].hole = hole.clone();
  while (deep > 4 && std::min(levels.back().hole.cols, levels.back().hole.rows) > 8 * kHalf) {
    Level half;
    const Level& l = levels.back();
    // What is in the hole does not bleed out.
    cv::Mat known, weight, colours = l.colour.clone();
    colours.setTo(cv::Scalar::all(0), l.hole);
    cv::Mat inverse = ~l.hole;
    inverse.convertTo(weight, CV_32F, 1 / 255.0);
    const cv::Size size((l.hole.cols + 1) / 2, (l.hole.rows + 1) / 2);
    cv::resize(colours, half.colour, size, 0, 0, cv::INTER_AREA);
    cv::resize(weight, known, size, 0, 0, cv::INTER_AREA);
    half.hole = known < 0.5;
    cv::Mat three;
    cv::merge(std::vector<cv::Mat>(3, cv::max(known, 1e-6)), three);
    half.colour /= three;
    levels.push_back(std::move(half));
    deep /= 2;
  }
  carryOn(levels.back().colour, levels.back().hole, 3);
  Field field;
  cv::Mat_<float> error;
  for (size_t k = levels.size(); k-- > 0;) {
    Level& l = levels[k];
    const Field coarse = field;
    if (k + 1 < levels.size()) {
      // What was found in half the size, in colours to begin with.
      cv::Mat larger;
      cv::resize(levels[k + 1].colour, larger, l.hole.size(), 0, 0, cv::INTER_CUBIC);
      cv::max(larger, 0, larger);
      larger.copyTo(l.colour, l.hole);
    }
    prepare(l);
    field = Field(l.hole.size(), cv::Vec2i(0, 0));
    error = cv::Mat_<float>(l.hole.size(), 1e30f);
    scatter(l, field, error);
    if (!coarse.empty())
      for (int y = 0; y < l.hole.rows; ++y)
        for (int x = 0; x < l.hole.cols; ++x) {
          if (!l.wanted.at<uchar>(y, x)) continue;
          const int cx = std::min(x / 2, coarse.cols - 1), cy = std::min(y / 2, coarse.rows - 1);
          if (!levels[k + 1].wanted.at<uchar>(cy, cx)) continue;
          const int u = 2 * coarse(cy, cx)[0] + x % 2, v = 2 * coarse(cy, cx)[1] + y % 2;
          if (u >= l.hole.cols || v >= l.hole.rows || !l.usable.at<uchar>(v, u)) continue;
          const float d = apart(l, x, y, u, v, error(y, x));
          if (d < error(y, x)) error(y, x) = d, field(y, x) = {u, v};
        }
    const int rounds = k == 0 ? 3 : 8;
    for (int round = 0; round < rounds; ++round) {
      for (int i = 0; i < 3; ++i) search(l, field, error, 3 * round + i);
      vote(l, field, error);
      for (int y = 0; y < l.hole.rows; ++y)
        for (int x = 0; x < l.hole.cols; ++x)
          if (l.wanted.at<uchar>(y, x)) error(y, x) = apart(l, x, y, field(y, x)[0], field(y, x)[1], 1e30f);
    }
  }
  return levels[0].colour;
}

}  // namespace

image::Picture closeHole(const image::Picture& picture, const image::Picture& hole) {
  const int w = picture.data.width(), h = picture.data.height();
  cv::Mat colour(h, w, CV_32FC3), mask(h, w, CV_8U);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float* p = picture.pixel(picture.data.x0 + x, picture.data.y0 + y);
      colour.at<cv::Vec3f>(y, x) = {p[0], p[1], p[2]};
      const bool closes = *hole.pixel(picture.data.x0 + x, picture.data.y0 + y) > 0.5f;
      const bool none = !(p[3] > 0) || !std::isfinite(p[0] + p[1] + p[2]);
      if (none) colour.at<cv::Vec3f>(y, x) = {0, 0, 0};
      mask.at<uchar>(y, x) = closes || none ? 255 : 0;
    }
  if (cv::countNonZero(mask) == w * h)
    throw Error("there is nothing around the hole to close it from", "Close a smaller one, or clone from elsewhere");
  cv::Mat away;
  cv::distanceTransform(mask, away, cv::DIST_L2, 3);
  double deep = 0;
  cv::minMaxLoc(away, nullptr, &deep);
  if (deep <= kThin || std::min(w, h) < 4 * kHalf + 4) {
    carryOn(colour, mask, std::max(3.0, deep));
    std::vector<cv::Point> places;
    cv::findNonZero(mask, places);
    stretch(colour, places, cv::Mat(mask.size(), CV_8U, cv::Scalar(255)), 1, 100);
  } else {
    colour = byPieces(colour, mask, deep);
  }
  image::Picture out = picture;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      if (!(*hole.pixel(picture.data.x0 + x, picture.data.y0 + y) > 0.5f)) continue;
      float* p = out.pixel(picture.data.x0 + x, picture.data.y0 + y);
      for (int c = 0; c < 3; ++c) p[c] = colour.at<cv::Vec3f>(y, x)[c];
      p[3] = 1;
    }
  return out;
}

image::Picture stretchOver(const image::Picture& picture, const image::Picture& hole) {
  const int w = picture.data.width(), h = picture.data.height();
  cv::Mat colour(h, w, CV_32FC3, cv::Scalar::all(0)), known(h, w, CV_8U, cv::Scalar(0)), open(h, w, CV_8U);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float* p = picture.pixel(picture.data.x0 + x, picture.data.y0 + y);
      open.at<uchar>(y, x) = *hole.pixel(picture.data.x0 + x, picture.data.y0 + y) > 0.5f ? 255 : 0;
      if (open.at<uchar>(y, x) || !(p[3] > 0) || !std::isfinite(p[0] + p[1] + p[2])) continue;
      colour.at<cv::Vec3f>(y, x) = {p[0], p[1], p[2]}, known.at<uchar>(y, x) = 255;
    }
  image::Picture out = picture;
  if (cv::countNonZero(known) == 0) return out;
  // From the edge inwards, each from those around it that have a colour already.
  cv::Mat away;
  cv::distanceTransform(~known, away, cv::DIST_L2, cv::DIST_MASK_PRECISE);
  std::vector<cv::Point> places;
  cv::findNonZero(open, places);
  std::stable_sort(places.begin(), places.end(),
                   [&](const auto& a, const auto& b) { return away.at<float>(a) < away.at<float>(b); });
  std::erase_if(places, [&](const cv::Point& p) {
    cv::Vec3f sum(0, 0, 0);
    float n = 0;
    for (int y = std::max(0, p.y - 1); y <= std::min(h - 1, p.y + 1); ++y)
      for (int x = std::max(0, p.x - 1); x <= std::min(w - 1, p.x + 1); ++x)
        if (known.at<uchar>(y, x)) sum += colour.at<cv::Vec3f>(y, x), ++n;
    if (n == 0) return true;
    colour.at<cv::Vec3f>(p) = sum / n, known.at<uchar>(p) = 255;
    return false;
  });
  stretch(colour, places, known, 1.8f, 100);
  for (const auto& p : places) {
    float* o = out.pixel(picture.data.x0 + p.x, picture.data.y0 + p.y);
    for (int c = 0; c < 3; ++c) o[c] = colour.at<cv::Vec3f>(p)[c];
    o[3] = 1;
  }
  return out;
}

}  // namespace zentil::retouch
