#pragma once
#include <array>
#include <map>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/track/follow.h"

namespace zentil::track {

/// How a plane's picture may change from frame to frame.
enum class Freedom { Translation, Similarity, Affine, Perspective };

inline std::span<const char* const> namesOf(Freedom) {
  static constexpr const char* kNames[] = {"translation", "similarity", "affine", "perspective"};
  return kNames;
}

/// A part of the frame that is followed as one plane.
struct Region {
  int id = 0;
  std::string name;
  int reference = 0;           ///< frame that it was drawn on, and that all others are registered against
  std::vector<Vec2> outline;   ///< closed, plate pixels on the reference frame
  std::array<Vec2, 4> quad{};  ///< four corners on the reference frame, to judge it by and to pin by
  Freedom freedom = Freedom::Perspective;
  bool travels = true;           ///< with the texture; else it stays on the screen and the texture passes beneath
  std::map<int, Mat3> motion{};  ///< from plate pixels of the reference frame to those of a frame
  std::map<int, double> correlation{};  ///< correlation with the reference frame (or, staying, with the frame before)
  bool operator==(const Region&) const = default;

  bool has(int frame) const { return motion.count(frame) != 0; }
  /// Where a place of the reference frame lies on a frame that it has.
  Vec2 moved(int frame, const Vec2& at) const;
};

/// Its bounding box as a quad: what a new region starts with.
std::array<Vec2, 4> quadAbout(const std::vector<Vec2>& outline);

struct PlaneAnswer {
  bool found = false;
  double correlation = 0;  ///< weighted correlation
  double sigmaPx = 0;      ///< standard error of a corner of the outline, from what is left over
};

/// Improves a motion from one frame to another over all pixels inside an outline of the first, coarse to fine, from up
/// to a few per cent of the region's size away: inverse compositional (Baker and Matthews 2004, Lucas-Kanade 20 Years
/// On), free gain and offset, residuals far off for the rest count nothing (Tukey's biweight), so that a part of it may
/// be hidden. `allowedFrom` and `allowedTo`, where given, are 1 where a pixel may be looked at.
PlaneAnswer registerPlane(const image::Picture& from, const image::Picture& to, const std::vector<Vec2>& outline,
                          Freedom freedom, Mat3& motion, const image::Picture* allowedFrom = nullptr,
                          const image::Picture* allowedTo = nullptr);

/// Follows a region from one frame to another, forwards or backwards; it must have a motion on `from` (its reference
/// always has). Ends early, with what was followed, where the plane is lost or when the job is stopped. Throws Error
/// when the outline has less than three corners, holds no texture, or `from` has no motion.
Region followRegion(const FrameSource& frames, const Region& region, int from, int to, const Job& job = {},
                    const AllowedSource& allowed = {});

/// Registers what a region has on one frame anew against its reference; staying ones are left as they are.
Region refinedOn(const FrameSource& frames, const Region& region, int frame);

/// Places of the region, evenly spread, as tracks for a solve: `across` squared of those that lie inside the outline.
/// Ids count from `firstId`.
Tracks tracksOf(const Region& region, int across, int firstId);

/// Its quad, frame by frame, as CSV: "frame,x1,y1,...,x4,y4", plate pixels from the upper left. Throws Error when the
/// file cannot be written.
void writePins(const Region& region, const std::string& file);

}  // namespace zentil::track
