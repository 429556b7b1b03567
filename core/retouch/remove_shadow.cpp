#include "core/retouch/remove_shadow.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/robust_mean.h"
#include "core/retouch/shadow_chroma.h"

namespace zentil::retouch {
namespace {

constexpr float kDarkest = 1e-4f;

Ground groundOf(const Canvas& canvas, const image::Picture& mark, const Box& box) {
  Ground g;
  constexpr int kAround = 16;
  g.box = intersect(box.grown(2 * kAround), canvas.frame());
  const image::Picture under = canvas.seen(g.box);
  const cv::Size size(g.box.width(), g.box.height());
  g.log = cv::Mat::zeros(size, CV_32FC3), g.marked = cv::Mat::zeros(size, CV_8U);
  cv::Mat none = cv::Mat::zeros(size, CV_8U);
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const int px = g.box.x0 + x, py = g.box.y0 + y;
      const float* p = under.pixel(px, py);
      for (int c = 0; c < 3; ++c) g.log.at<cv::Vec3f>(y, x)[c] = std::log(std::max(p[c], kDarkest));
      if (!(p[3] > 0) || !(std::min({p[0], p[1], p[2]}) > kDarkest)) none.at<uchar>(y, x) = 255;
      if (mark.data.contains(px, py) && *mark.pixel(px, py) > 0.01f) g.marked.at<uchar>(y, x) = 255;
    }
  cv::dilate(g.marked, g.around, cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kAround + 1, 2 * kAround + 1}));
  g.around &= ~g.marked, g.around &= ~none, g.marked &= ~none;
  return g;
}

/// In what proportion light is missing, by what is lit around: robustly over all pixels of a shade, each by how much of
/// its light is missing.
IlluminantEstimate toldAround(const Ground& g, const Lit& lit, const cv::Mat& sound, const cv::Mat& fits,
                              const Missing& missing, const cv::Mat& part) {
  constexpr double kWide = 25, kLeast = 0.1;  // px; of the light
  cv::Mat here, around(g.log.size(), CV_32FC3, cv::Scalar(lit.mean[0], lit.mean[1], lit.mean[2]));
  sound.convertTo(here, CV_32F, 1 / 255.0);
  around = spread(g.log, here, kWide, around);
  const cv::Mat hue = hueShown(missing, part, lit.soft);
  RobustMean mean;
  double label = 0;
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x) {
      const double at = part.at<float>(y, x);
      if (!(at > kLeast) || !fits.at<uchar>(y, x)) continue;
      // Colour as it were, were it as sharp as brightness.
      const auto& shown = hue.at<cv::Vec2d>(y, x);
      const cv::Vec3d log = cv::Vec3d(g.log.at<cv::Vec3f>(y, x) - around.at<cv::Vec3f>(y, x)) +
                            ofHue(hueOf(missing.at(at)) - Vec2(shown[0], shown[1]));
      const cv::Vec3d lost(1 - std::exp(log[0]), 1 - std::exp(log[1]), 1 - std::exp(log[2]));
      // By how much should be missing, not by what is: where the surface is dark itself, more seems to be, of no hue.
      const double level = 1 - std::exp(levelOf(missing.at(at)));
      if (level < kLeast) continue;
      mean.add({static_cast<float>(lost[0] / level), static_cast<float>(lost[1] / level),
                static_cast<float>(lost[2] / level)},
               static_cast<float>(std::pow(level, 4)));
      label += level * level;
    }
  if (mean.empty()) return {};
  const auto rgb = mean.mean();
  const Vec3 all(rgb[0], rgb[1], rgb[2]);
  return {label, all / all.mean(), lit.soft};
}

/// What is lifted.
struct Shade {
  Missing missing;
  cv::Mat part;    ///< of the sun's light that is missing; 0 where nothing is lifted
  double ill = 0;  ///< how ill it is met
};

/// Where a function is least, by steps from a place and by the parabola there; it has one such place between `low` and
/// `high`.
template <typename Of>
double leastOf(double at, double step, double low, double high, const Of& of) {
  double here = of(at), before = of(std::max(low, at - step)), after = of(std::min(high, at + step));
  while (before < here && at - step > low)
    at -= step, after = here, here = before, before = of(std::max(low, at - step));
  while (after < here && at + step < high)
    at += step, before = here, here = after, after = of(std::min(high, at + step));
  if (before < here) return low;
  if (after < here) return high;
  const double bend = before + after - 2 * here;
  return bend > 1e-9 ? std::clamp(at + 0.5 * step * (before - after) / bend, low, high) : at;
}

/// A shade brought together from what each of its pixels says by itself.
class FillMethod {
 public:
  FillMethod(const Ground& g, const Lit& lit, const cv::Mat& sound)
      : g_(g), lit_(lit), sound_(sound), placed_(shadowFromChroma(g, lit, sound)) {
    constexpr int kBeyond = 3;  // px of penumbra that no pixel by itself would be seen in
    cv::dilate(placed_.part > 0, free_, cv::Mat::ones(2 * kBeyond + 1, 2 * kBeyond + 1, CV_8U));
    free_ = (free_ & g.marked) | (placed_.part > 0);
  }

  /// By light as it is told, from where it was brought to before.
  Shade by(const IlluminantEstimate& told, int rounds = kRounds) const {
    Shade out{inProportion(told), placed_.part.clone(), 0};
    out.ill = evenOut(g_, softer(told.soft), out.missing, free_, out.part, rounds);
    return out;
  }

  /// The light as what is lit around tells it, where colour is so much softer than brightness.
  IlluminantEstimate around(double soft) {
    const cv::Vec3d& sun = placed_.missing.sun;
    const IlluminantEstimate first{0, Vec3(sun[0], sun[1], sun[2]) / levelOf(sun), soft};
    placed_.part = by(first).part;
    return around(first);
  }

  /// ...and how soft colour is: such that hues, levels and neighbours are met least ill.
  IlluminantEstimate searched() {
    constexpr double kMost = 2;  // px
    constexpr int kFew = 2;
    IlluminantEstimate told = around(0.0);
    for (const double step : {0.4, 0.2, 0.1}) {
      placed_.part = by(told, kFew).part;
      told.soft = leastOf(told.soft, step, 0, kMost, [&](double soft) {
        return by({told.label, told.missing, soft}, kFew).ill;
      });
      placed_.part = by(told, kFew).part;
      told = around(told);
    }
    return told;
  }

 private:
  static constexpr int kRounds = 6;
  Lit softer(double soft) const {
    Lit lit = lit_;
    lit.soft = soft;
    return lit;
  }
  IlluminantEstimate around(const IlluminantEstimate& told) const {
    const IlluminantEstimate out =
        toldAround(g_, softer(told.soft), sound_, placed_.fits, inProportion(told), placed_.part);
    return out.label > 0 ? out : told;
  }
  /// As much as was seen to be missing.
  Missing inProportion(const IlluminantEstimate& told) const {
    return {cv::Vec3d(told.missing.x(), told.missing.y(), told.missing.z()) * levelOf(placed_.missing.sun)};
  }

  const Ground& g_;
  const Lit& lit_;
  const cv::Mat& sound_;
  Placed placed_;
  cv::Mat free_;
};

/// By the light that all strokes have in common, as the one tells it that knows most; and how soft colour is, to `lit`.
Shade shadeOf(const Ground& g, Lit& lit, const cv::Mat& sound, IlluminantEstimate& told) {
  constexpr float kBarely = 0.02f;
  FillMethod together(g, lit, sound);
  IlluminantEstimate own = together.around(told.soft);
  if (own.label > told.label || told.label == 0) told = own = together.searched();
  lit.soft = told.soft;
  Shade out = together.by(told);
  // What lies otherwise may have the same sun and sky in other proportions.
  constexpr double kEnough = 0.25, kPlain = 0.97;
  if (own.label < told.label && own.label > kEnough * told.label) {
    Shade alone = together.by(own);
    if (alone.ill < kPlain * out.ill) out = std::move(alone);
  }
  out.part.setTo(0, out.part <= kBarely);
  return out;
}

/// Throws Error where a good part comes out brighter than anything that is lit around it: then the hue told something
/// else.
void checkLifted(const Lit& known, const Shade& shade, const cv::Mat& lit) {
  constexpr double kBrighter = 3, kGoodPart = 0.05;
  int all = 0, brighter = 0;
  for (int y = 0; y < lit.rows; ++y)
    for (int x = 0; x < lit.cols; ++x) {
      if (!(shade.part.at<float>(y, x) > 0)) continue;
      ++all;
      if (levelOf(lit.at<cv::Vec3f>(y, x) - known.mean) > kBrighter * known.level) ++brighter;
    }
  if (brighter > kGoodPart * all)
    throw Error("removed by its hue, this shadow comes out brighter than the lit surface around it",
                "Draw over one material alone. For a shadow thinner than the plate's colour resolution, use the line "
                "brush, or a Shadow element");
}

}  // namespace

image::Picture lifted(const Canvas& canvas, const image::Picture& mark, const Box& box, IlluminantEstimate& told) {
  const Ground g = groundOf(canvas, mark, box);
  cv::Mat sound;
  Lit known = litOf(g, sound);
  const Shade shade = shadeOf(g, known, sound, told);
  const cv::Mat lit = litAgain(g, known, shade.missing, shade.part);
  checkLifted(known, shade, lit);
  // Around what is lifted the pixels are painted as they are, so that the paint is whole where it is seen from another
  // frame; further away nothing is.
  constexpr int kAround = 3;
  cv::Mat painted;
  cv::dilate(shade.part > 0, painted, cv::Mat::ones(2 * kAround + 1, 2 * kAround + 1, CV_8U));
  image::Picture out(box, canvas.frame(), 4);
  const Box both = intersect(box, g.box);
  const image::Picture under = canvas.seen(both);
  for (int y = both.y0; y < both.y1; ++y)
    for (int x = both.x0; x < both.x1; ++x) {
      const int u = x - g.box.x0, v = y - g.box.y0;
      if (!painted.at<uchar>(v, u)) continue;
      float* o = out.pixel(x, y);
      std::copy_n(under.pixel(x, y), 4, o);
      if (shade.part.at<float>(v, u) > 0)
        for (int c = 0; c < 3; ++c) o[c] = std::exp(lit.at<cv::Vec3f>(v, u)[c]);
    }
  return out;
}

}  // namespace zentil::retouch
