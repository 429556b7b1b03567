#pragma once
#include <vector>

#include "core/solve/evidence.h"
#include "core/solve/reconstruction.h"

namespace zentil::solve {

/// Where in the world evidence is asked for: a point for each part of each view.
struct Probe {
  static constexpr int kCells = Evidence::kAcross * Evidence::kDown;
  int view = 0, cell = 0;
  Vec3 at = Vec3::Zero();
};

/// One in the middle of each part of each view, as deep as what is seen nearest to it there; view by view.
std::vector<Probe> probesOf(const Reconstruction::Packed& world, const Intrinsics& inner, bool turning, int width,
                            int height);

/// A similarity: X to size * turn X + shift.
struct Similarity {
  Mat3 turn = Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  double size = 1;
  Vec3 operator()(const Vec3& x) const { return size * turn * x + shift; }
};

/// How far apart probes are seen by one solve and by another, squared pixels, once the world of the other is moved so
/// that those that count (empty: all) agree best; `laid`: how it was moved.
std::vector<double> disagreement(const std::vector<Probe>& probes, const std::vector<View>& views,
                                 const Intrinsics& inner, const std::vector<View>& others, const Intrinsics& otherInner,
                                 bool turning, const std::vector<char>& counts = {}, Similarity* laid = nullptr);

}  // namespace zentil::solve
