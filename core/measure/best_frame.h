#pragma once
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::measure {

/// How good a frame is as the source of a patch.
struct FoundFrame {
  int frame = 0;
  double seen = 0;       ///< part of the place that it shows: in its picture, nothing in front, nothing that has to go
  double excluded = 0;   ///< part of the place where something stands that has to go
  double sharpness = 0;  ///< its pixels for each delivered one, along the worse direction (median over the place)
  double detail = 0;     ///< fine detail that it has there, of what most frames have
  double gain = 1;       ///< its level around the place, to the target's
  double ring = 0;       ///< RMS difference from the target around the place, levels brought together
  double away = 0;       ///< RMS difference from what most frames show, over what it shows of the place
  bool read = true;      ///< false: its file is gone or damaged, and `words` says so
  bool usable = false;   ///< shows as much of the place as any, or nearly
  std::string words;     ///< all of it, for people
};

/// All frames of the plate, weighed as sources for an element's place as it lies on a target frame.
struct FoundFrames {
  std::string element;
  int target = 0;
  std::vector<FoundFrame> frames;  ///< by frame
  int best = 0;                    ///< the best of them
  int unread() const;              ///< how many could not be read
  double neverSeenPx = 0;          ///< pixels of the place, on the target, that no frame shows
  image::Picture neverSeen;        ///< where they are: 1
  std::vector<int> fewest;         ///< the best, and then each the one that shows most of what is left
  const FoundFrame* at(int frame) const;
};

/// Weighs every frame that the camera and the plate that the patch is taken from have; one that cannot be read is told
/// as such. Each is seen through its camera and the surface on the target frame's place; what most of them agree on
/// (the mean, pixel by pixel, of those that show the place and agree, as sharp and as bright as the target is around
/// it) stands for what is there, and a frame's distance from it counts what passes, blur, light and noise alike.
/// `matched`: levels are brought together first, by the ring around the place, as an element whose light follows would.
/// `having`: frames that are taken already, to which the fewest are added. Throws Error for an element that has no
/// place on a surface, or whose place lies outside the picture on the target frame.
FoundFrames framesFor(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int target, bool matched,
                      comp::RenderCache& cache, const Job& job = {}, const std::vector<int>& having = {});

/// The frames that show an element's place between them, few of them: on up to five frames over its range, the best for
/// the middle one, and then those that show most of what is left.
struct FewestFrames {
  std::vector<int> frames;
  double neverSeenPx = 0;  ///< the most, of those frames, that none shows
};
FewestFrames fewestFrames(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, bool matched,
                          comp::RenderCache& cache, const Job& job = {});

}  // namespace zentil::measure
