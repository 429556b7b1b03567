#pragma once
#include <array>
#include <limits>
#include <map>
#include <string>
#include <vector>

#include "core/base/job.h"

namespace zentil::solve {

class Reconstruction;
struct BundleQuestion;

/// How well each part of each frame is held: what is put into the scene there will slip by about so much.
struct Evidence {
  /// What all frames share, where it was found: standard errors of focal length (in frame widths), optical centre (in
  /// frame widths, across and down), k1, k2 and readout (frames). NaN for what was not asked of the tracks.
  struct Inner {
    double focal = kNotAsked, centreX = kNotAsked, centreY = kNotAsked, k1 = kNotAsked, k2 = kNotAsked,
           readout = kNotAsked;
    static constexpr double kNotAsked = std::numeric_limits<double>::quiet_NaN();
  };
  static constexpr int kAcross = 6, kDown = 4;
  /// By frame, row by row from the upper left: predicted distance (RMS, pixels) between where something placed there,
  /// as deep as what stands nearest, will be seen and where it should be.
  std::map<int, std::array<float, kAcross * kDown>> slipPx;
  std::map<int, std::array<int, kAcross * kDown>> tracks;  ///< that are seen there
  Inner sigma;
  double factor = 1;  ///< what the formal covariance was found too small by, from two halves of the tracks
  bool operator==(const Evidence& o) const { return slipPx == o.slipPx && tracks == o.tracks && factor == o.factor; }

  bool empty() const { return slipPx.empty(); }
  /// Of the worst side of a frame (RMS over its parts); 0 where there is none.
  double worstOn(int frame) const;
  /// Whether so much is a lot: against all other frames and parts, and to the eye.
  bool weak(double px) const;
  double median() const;
};

/// Predicts slip: the covariance of views and inner values given the tracks (informationOf), as far as no similarity of
/// the world explains it, through the projection of a point in each part of the frame. Errors are shared along a track,
/// which the formal covariance does not know: it is scaled by what two solves from half of the tracks each differ by
/// (a jackknife over tracks; Efron and Stein 1981), each track counting alike. `question` is that of the last bundle.
/// Of long ranges every few frames are looked at.
Evidence evidenceOf(const Reconstruction& world, const BundleQuestion& question, int width, int height,
                    const Job& job = {});

/// Sentences on the weak sides: which, in which frames, by how much: where what is put there may slip far more than
/// elsewhere, or hardly a track is.
std::vector<std::string> weaknesses(const Evidence& evidence);

}  // namespace zentil::solve
