#pragma once
#include <array>
#include <vector>

#include "core/base/job.h"
#include "core/solve/view.h"

namespace zentil::solve {

struct BundleSettings {
  bool focal = true, centre = false, k1 = true, k2 = false, readout = false;
  bool pixelAspect = false;    ///< Intrinsics::tall
  bool lensZooms = false;      ///< where k1 and k2 are free and it zooms, they change with that
  bool zooming = false;        ///< every view's zoom is free; Intrinsics::f stays
  bool turning = false;        ///< views only turn about one place; points then say directions, and keep their distance
  Vec3 normal = Vec3::Zero();  ///< points keep to the plane that they lie on, across this; zero: they are free
  int rounds = 30;
  double damping = 1e-4;   ///< at first: the less, the nearer to what a step by the derivatives alone would be
  double enough = 1e-7;    ///< a round that gains less of the cost is the last
  double huberPx = 1;      ///< beyond this a residual counts linearly (Huber 1964)
  bool fixPoints = false;  ///< views and inner values only
  /// What they are thought to be, and how strongly: an error of d costs pull * d^2 beside the
  /// squares of the residuals. 0 leaves a value to the sights alone.
  std::array<double, kInner> priorMean{}, priorWeight{};

  /// Which of those are free.
  std::array<bool, kInner> frees() const {
    return {focal && !zooming,          centre,     centre, k1, k2, readout, lensZooms && zooming && k1,
            lensZooms && zooming && k2, pixelAspect};
  }
};

struct BundleReport {
  double rmsPx = 0;  ///< over all sights that land, unweighted, per place (both coordinates)
  int rounds = 0;
};

/// Moves views, points and, as asked, inner values to where the sights are best met: Levenberg-Marquardt with analytic
/// derivatives; points are eliminated first (Triggs et al. 2000, Bundle Adjustment - A Modern Synthesis, section 6),
/// the reduced system is kept between each view and the first that it shares a point with (Envelope). The first view
/// stays where it is, unless points keep to a plane, which does; size is left to the damping. All cores.
BundleReport refine(std::vector<View>& views, Intrinsics& inner, std::vector<Vec3>& points,
                    const std::vector<Observation>& sights, const BundleSettings& question, const Job& job = {});

/// What the sights say about views and inner values once points are eliminated.
struct NormalEquations {
  /// The inverse of their covariance for sights of one pixel, but for what no sight can say (where the world lies, how
  /// it is turned, how large it is). Square; for each view zoom (relative; if zooming), turn (3, radians, applied from
  /// the left), place (3; unless turning), then the inner values that are free, in their order.
  Eigen::MatrixXd information;
  /// Half the slope of the cost: zero where the sights are best met.
  Eigen::VectorXd gradient;
};
NormalEquations normalEquationsOf(const std::vector<View>& views, const Intrinsics& inner,
                                  const std::vector<Vec3>& points, const std::vector<Observation>& sights,
                                  const BundleSettings& question, const Job& job = {});

}  // namespace zentil::solve
