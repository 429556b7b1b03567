#include "core/measure/level.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/of_plate.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/map/resample.h"
#include "core/measure/held.h"
#include "core/measure/slip.h"

namespace zentil::measure {

using image::Picture;

namespace {

/// Of what is no part of a plate (a picture, CG): its own pixels along its edge against the plate's beyond it.
std::array<double, 3> levelByEdge(const evaluate::FrameState& state, const evaluate::Layer& layer,
                                  comp::RenderCache& cache) {
  evaluate::Layer plain = layer;
  plain.look.gain = element::Rgb{1, 1, 1}, plain.look.offset = element::Rgb{0, 0, 0}, plain.look.saturation = 1.0;
  // As wide as a sixtieth of the picture's height, on both sides.
  const Box frame = state.frameBox();
  const int ring = std::max(6, frame.height() / 60);
  const auto nothing = [&](const char* what, const char* remedy) {
    return Error(fmt::format("\"{}\" {} on frame {}", layer.name, what, layer.frame), remedy);
  };
  const comp::Around own = comp::lookAround(state, plain, cache, ring);
  if (own.source.empty()) throw nothing("is outside the picture", "Go to a frame where it shows");
  const auto plate = cache.frame(*state.plate);
  const Box region = intersect(frame, own.source.data.grown(ring));
  constexpr float kSolid = 0.98f, kNone = 0.02f;
  cv::Mat inside(region.height(), region.width(), CV_8U, cv::Scalar(0)), outside = inside.clone();
  outside = 255;
  for (int y = own.source.data.y0; y < own.source.data.y1; ++y)
    for (int x = own.source.data.x0; x < own.source.data.x1; ++x) {
      if (!region.contains(x, y)) continue;
      const float cover = layer.cover.empty() ? 1 : *own.cover.pixel(x, y),
                  there = cover * *own.seen.pixel(x, y) * own.source.pixel(x, y)[3];
      if (there > kSolid) inside.at<uchar>(y - region.y0, x - region.x0) = 255;
      if (there > kNone) outside.at<uchar>(y - region.y0, x - region.x0) = 0;
    }
  const cv::Mat reach = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * ring + 1, 2 * ring + 1});
  cv::Mat nearInside, nearOutside;
  cv::dilate(inside, nearInside, reach), cv::dilate(outside, nearOutside, reach);
  std::array<double, 3> gain{};
  for (int c = 0; c < 3; ++c) {
    std::vector<float> mine, around;
    for (int y = region.y0; y < region.y1; ++y)
      for (int x = region.x0; x < region.x1; ++x) {
        const int v = y - region.y0, u = x - region.x0;
        if (inside.at<uchar>(v, u) && nearOutside.at<uchar>(v, u)) mine.push_back(own.source.pixel(x, y)[c]);
        if (outside.at<uchar>(v, u) && nearInside.at<uchar>(v, u) && plate->picture.data.contains(x, y))
          around.push_back(plate->forReading().pixel(x, y)[c]);
      }
    constexpr size_t kFew = 50;
    if (mine.size() < kFew || around.size() < kFew)
      throw nothing("has no edge with plate beyond it", "Limit it by a matte, or go to a frame where its edge is seen");
    const double a = medianOf(std::move(mine)), b = medianOf(std::move(around));
    if (!(a > 1e-4) || !(b > 1e-4)) throw nothing("is black along its edge, or the plate is", "Type its gain");
    gain[static_cast<size_t>(c)] = b / a;
  }
  return gain;
}

}  // namespace

std::array<double, 3> levelAround(const evaluate::ShotEvaluator& evaluator, const std::string& id, int frame,
                                  comp::RenderCache& cache) {
  const evaluate::FrameState state = evaluator.only(id, frame);
  const auto* layer = state.layer(id);
  if (layer && !comp::isOfPlate(state, *layer, cache)) return levelByEdge(state, *layer, cache);
  const SlipPictures p = layer ? slipPictures(evaluator, state, *layer, cache) : SlipPictures();
  if (p.plate.empty())
    throw Error(fmt::format("\"{}\" is outside the picture on frame {}", layer ? layer->name : id, frame),
                "Go to a frame where it shows");
  const Box region = p.plate.data;
  const auto held = heldStage(evaluator, *layer);
  const auto source = heldPicture(evaluator, state, *layer, *held, cache);
  const auto plate = cache.frame(*state.plate);
  const Picture seen =
      map::resample(source->forReading(), *comp::followMap(layer->place, *state.here, *held, comp::Sees::Seen, cache),
                    region, state.frameBox(), map::Filter::Sharp);
  std::array<double, 3> gain{};
  for (int c = 0; c < 3; ++c) {
    std::vector<float> ratios;
    for (int y = region.y0; y < region.y1; ++y)
      for (int x = region.x0; x < region.x1; ++x) {
        if (*p.votes.pixel(x, y) < 0.5f) continue;
        const float a = seen.pixel(x, y)[c], b = plate->forReading().pixel(x, y)[c];
        if (a > 0.004f && b > 0.004f && a < 4 && b < 4) ratios.push_back(b / a);
      }
    if (ratios.size() < 50)
      throw Error(fmt::format("nothing around \"{}\" can be compared on frame {}", layer->name, frame),
                  "Go to a frame where the surface around it is seen");
    gain[static_cast<size_t>(c)] = medianOf(std::move(ratios));
  }
  return gain;
}

}  // namespace zentil::measure
