#pragma once
#include <array>
#include <functional>
#include <optional>
#include <vector>

#include "core/estimate/spot_patch.h"

namespace zentil::estimate {

/// Mean of the better half, two at least: half of the frames have to see a place, on others something may stand before
/// it. Sorts what it is given.
double meanOfBestHalf(std::vector<double>& values);

/// Parts of a patch (four quarters that overlap, four borders, four corners), each looked for by itself along the line
/// of depths: a patch across an edge holds two depths, and one plane through both is neither.
class SpotPatchParts {
 public:
  static constexpr size_t kParts = 12;
  using OcclusionTest = std::array<double, kParts>;
  /// `steps`: how many depths are tried, from 0.
  SpotPatchParts(const SpotPatch& patch, int steps);
  /// Each part's normalised correlation with what another frame shows.
  OcclusionTest likeness(const std::vector<float>& seen) const;
  /// What all frames said at one depth. Different depths may be noted at once.
  void note(int step, const std::vector<OcclusionTest>& onFrames);
  /// The depth (a step) at which a part is seen much better than where the patch's plane has it (`planeStep`, by a
  /// place in the patch); nothing where there is none.
  std::optional<int> elsewhere(const std::function<double(const Vec2&)>& planeStep) const;

 private:
  const SpotPatch& patch_;
  std::vector<OcclusionTest> at_;
  std::array<Vec2, kParts> middle_{};
};

/// How the nine blocks of a patch lie beside its plane (inverse depth, and its change across the patch), each moved
/// towards where the other frames show it, in its own standard errors: the largest, and the sum of squares. `floor`: a
/// standard error in inverse depth that no block is below.
struct PartsBeside {
  double worst = 0, squares = 0;
};
PartsBeside partsBesidePlane(const SpotPatch& patch, const Vec3& plane,
                             const std::vector<const ReprojectedFrame*>& frames, double floor);

}  // namespace zentil::estimate
