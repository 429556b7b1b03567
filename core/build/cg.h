#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/build/workshop.h"
#include "core/map/resample.h"

namespace zentil::build {

/// How a render lies on the straight picture: straight pixel = offset + scale * render pixel.
struct RenderFit {
  double scale = 1;
  Vec2 offset = Vec2::Zero();
  std::string how;  ///< in words
};

/// Placed by its display window when that does not start at 0; else by its size: the plate's own, larger (overscan, the
/// same on both sides), or either at another scale (a draft, or finer). Throws Error when it fits neither the plate nor
/// the straight picture.
RenderFit fitOf(const image::Plate& render, const Box& straight, int plateWidth, int plateHeight);

/// Which frame of the render shows on a plate's frame; none when nothing does.
std::optional<int> renderFrameOf(const element::Element& cg, int frame);

/// A cg element's layer: read from the render once, through the lens, at the plate's pixels; premultiplied, empty where
/// there is nothing. A shadow pass becomes a layer to multiply by.
image::Picture cgLayer(const shot::Shot& shot, const element::Element& cg, int frame, Workshop& workshop,
                       map::Filter filter);

/// Where a render's own border cuts through it inside the plate's frame: more overscan was needed there.
struct CutOff {
  enum class Edge { Left, Top, Right, Bottom };
  int frame = 0;
  Edge edge = Edge::Left;
  double px = 0;  ///< how far inside the frame it ends, at the most
};

/// Looks along the borders of every frame's render. Frames that cannot be read are skipped.
std::vector<CutOff> cutOffs(const shot::Shot& shot, const element::Element& cg, Workshop& workshop, const Job& job);

/// "left edge, frames 1031 to 1044, up to 14 px", with the size that would cover the frame; empty for none.
std::string describe(const std::vector<CutOff>& cutOffs, const shot::Shot& shot, const element::Element& cg);

/// The smallest box that holds the whole plate, straight, on every frame of the shot's range, as wished: grown to be
/// the same on both sides, rounded up. Throws Error when the lens folds over inside the frame.
Box overscan(const shot::Shot& shot, const shot::Overscan& wish);

/// True when edges look as if colour had not been multiplied by alpha.
bool looksUnpremultiplied(const image::Picture& picture);

}  // namespace zentil::build
