#pragma once
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::comp {

/// How a render lies on the straight picture: straight pixel = offset + scale * render pixel.
struct CgFit {
  double scale = 1;
  Vec2 offset = Vec2::Zero();
  std::string how;  ///< in words
};

/// Placed by its display window when that does not start at 0; else by its size: the plate's own, larger (overscan, the
/// same on both sides), or either at another scale (a draft, or finer). Throws Error when it fits neither the plate nor
/// the straight picture.
CgFit fitOf(const image::Plate& render, const Box& straight, int plateWidth, int plateHeight);

/// Where a render's own border cuts through it inside the plate's frame: more overscan was needed there.
struct CutOff {
  enum class Edge { Left, Top, Right, Bottom };
  int frame = 0;
  Edge edge = Edge::Left;
  double px = 0;  ///< how far inside the frame it ends, at the most
};

/// Looks along the borders of every frame's render; nothing for an element that is no render. Frames that cannot be
/// read are skipped.
std::vector<CutOff> cutOffs(const evaluate::ShotEvaluator& evaluator, const std::string& elementId,
                            const FrameRange& range, RenderCache& cache, const Job& job);

/// "left edge, frames 1031 to 1044, up to 14 px", with the size that would cover the frame; empty for none.
std::string wordsFor(const std::vector<CutOff>& cutOffs, const evaluate::ShotEvaluator& evaluator,
                     const std::string& name);

/// True when edges look as if colour had not been multiplied by alpha.
bool looksUnpremultiplied(const image::Picture& picture);

}  // namespace zentil::comp
