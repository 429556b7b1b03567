#pragma once
#include <array>
#include <limits>
#include <map>
#include <string>
#include <vector>

#include "core/base/job.h"

namespace zentil::solve {

class Reconstruction;
struct BundleSettings;

/// How well each part of each frame is held: what is put into the scene there will slip by about so much.
struct Evidence {
  static constexpr int kAcross = 6, kDown = 4;
  /// Of a frame, row by row from the upper left.
  using Parts = std::array<float, kAcross * kDown>;
  /// What all frames share, where it was found: standard errors of focal length (in frame widths), optical centre (in
  /// frame widths, across and down), k1, k2, readout (frames) and pixel aspect. NaN for what was not asked of the
  /// tracks.
  struct Inner {
    double focal = kNotAsked, centreX = kNotAsked, centreY = kNotAsked, k1 = kNotAsked, k2 = kNotAsked,
           readout = kNotAsked, pixelAspect = kNotAsked;
    static constexpr double kNotAsked = std::numeric_limits<double>::quiet_NaN();
  };
  /// By frame: predicted distance (RMS, pixels) between where something will be seen and where it should be that was
  /// placed there, as deep as what stands nearest, by where the plate shows its place in all frames: a patch, an
  /// extension built upon what was found.
  std::map<int, Parts> slipPx;
  /// The same of something built to measure elsewhere, laid into the world by place, turn and size alone: what focal
  /// length and lens are off by shows there in full.
  std::map<int, Parts> builtPx;
  std::map<int, std::array<int, kAcross * kDown>> tracks;  ///< that are seen there
  Inner sigma;
  double factor = 1;  ///< what the formal errors of those were found too small by, from parts of the picture and
                      ///< stretches of frames
  /// What all tracks share (patterns that change as the camera comes nearer, compression) no part and no stretch shows:
  /// on pictures the errors of what is placed, and of focal length and lens, are so many times what those say, on an
  /// average (measured: tests/outside/moves_test.cpp).
  static constexpr double kAllShare = 1.4;
  bool operator==(const Evidence& o) const {
    return slipPx == o.slipPx && builtPx == o.builtPx && tracks == o.tracks && factor == o.factor;
  }

  bool empty() const { return slipPx.empty(); }
  /// Of the worst side of a frame (RMS over its parts); 0 where there is none. What is placed, or built to measure.
  double worstOn(int frame) const;
  double builtWorstOn(int frame) const;
  /// More than this is a lot: against all other frames and parts, and to the eye.
  double weakPx() const;
  double builtWeakPx() const;
  double median() const;
};

/// Predicts slip: the covariance of views and inner values given the tracks (normalEquationsOf) through the projection
/// of a point in each part of the frame, as far as it is not explained by where that point lies or, of what was built
/// to measure, by a similarity of the world. Errors are shared along a track, which the formal covariance does not
/// know: and errors are shared by neighbours on the picture and by neighbouring frames: it is scaled by what solves
/// without one part of the picture would differ by (a grouped jackknife; Efron and Stein 1981), and by what stretches
/// of frames pull by (clustered scores; Liang and Zeger 1986). `question` is that of the last bundle. Of long ranges
/// every few frames are looked at.
Evidence evidenceOf(const Reconstruction& world, const BundleSettings& question, int width, int height,
                    const Job& job = {});

/// Sentences on the weak sides: which, in which frames, by how much: where what is put there may slip far more than
/// elsewhere, or hardly a track is. And one where what was built to measure would slip far more than what is placed.
std::vector<std::string> weaknesses(const Evidence& evidence);

}  // namespace zentil::solve
