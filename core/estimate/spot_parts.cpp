#include "core/estimate/spot_parts.h"

namespace zentil::estimate {
namespace {

constexpr int kNone = -1;
/// The blocks of each part.
constexpr std::array<std::array<int, 4>, SpotPatchParts::kParts> kBlocksOf{{{0, 1, 3, 4},
                                                                            {1, 2, 4, 5},
                                                                            {3, 4, 6, 7},
                                                                            {4, 5, 7, 8},
                                                                            {0, 1, 2, kNone},
                                                                            {6, 7, 8, kNone},
                                                                            {0, 3, 6, kNone},
                                                                            {2, 5, 8, kNone},
                                                                            {0, kNone, kNone, kNone},
                                                                            {2, kNone, kNone, kNone},
                                                                            {6, kNone, kNone, kNone},
                                                                            {8, kNone, kNone, kNone}}};

}  // namespace

double meanOfBestHalf(std::vector<double>& values) {
  std::sort(values.rbegin(), values.rend());
  const size_t n = std::min(values.size(), std::max<size_t>(2, values.size() / 2));
  double sum = 0;
  for (size_t k = 0; k < n; ++k) sum += values[k];
  return sum / static_cast<double>(n);
}

SpotPatchParts::SpotPatchParts(const SpotPatch& patch, int steps) : patch_(patch), at_(static_cast<size_t>(steps) + 1) {
  for (auto& a : at_) a.fill(-1);
  for (size_t part = 0; part < kParts; ++part) {
    Vec2 sum = Vec2::Zero();
    double n = 0;
    for (size_t i = 0; i < patch.size(); ++i)
      for (const int b : kBlocksOf[part])
        if (b == patch.occludes()[i]) sum += patch.offsets()[i], ++n;
    middle_[part] = sum / n;
  }
}

SpotPatchParts::OcclusionTest SpotPatchParts::likeness(const std::vector<float>& seen) const {
  // Sums by block; parts add them up.
  struct Sums {
    double n = 0, a = 0, b = 0, aa = 0, bb = 0, ab = 0;
  };
  std::array<Sums, SpotPatch::kBlocks> sums{};
  const auto& own = patch_.own();
  const auto& occludes = patch_.occludes();
  for (size_t i = 0; i < seen.size(); ++i) {
    Sums& s = sums[static_cast<size_t>(occludes[i])];
    const double a = own[i], b = seen[i];
    ++s.n, s.a += a, s.b += b, s.aa += a * a, s.bb += b * b, s.ab += a * b;
  }
  OcclusionTest out{};
  for (size_t part = 0; part < kParts; ++part) {
    Sums t;
    for (const int b : kBlocksOf[part]) {
      if (b == kNone) continue;
      const Sums& s = sums[static_cast<size_t>(b)];
      t.n += s.n, t.a += s.a, t.b += s.b, t.aa += s.aa, t.bb += s.bb, t.ab += s.ab;
    }
    const double va = t.aa - t.a * t.a / t.n, vb = t.bb - t.b * t.b / t.n;
    out[part] = (t.ab - t.a * t.b / t.n) / std::sqrt(std::max(1e-12, va * vb));
  }
  return out;
}

void SpotPatchParts::note(int step, const std::vector<OcclusionTest>& onFrames) {
  std::vector<double> one(onFrames.size());
  for (size_t part = 0; part < kParts; ++part) {
    for (size_t f = 0; f < onFrames.size(); ++f) one[f] = onFrames[f][part];
    at_[static_cast<size_t>(step)][part] = meanOfBestHalf(one);
  }
}

std::optional<int> SpotPatchParts::elsewhere(const std::function<double(const Vec2&)>& planeStep) const {
  // A part that is seen clearly, and there by two fifths less unlike than on the plane; two hundredths of unlikeness
  // are grain's. Found on rendered crates; 1.3 to 1.6 do as well.
  constexpr double kClear = 0.8, kBetter = 1.4, kGrain = 0.02;
  constexpr int kSame = 4;  // steps of half a pixel
  std::optional<int> out;
  double most = kBetter;
  for (size_t part = 0; part < kParts; ++part) {
    const double plane = planeStep(middle_[part]);
    double here = -1, best = -1;
    int at = 0;
    for (size_t i = 0; i < at_.size(); ++i) {
      const double v = at_[i][part];
      if (std::abs(static_cast<double>(i) - plane) <= kSame) here = std::max(here, v);
      if (v > best) best = v, at = static_cast<int>(i);
    }
    const double better = (1 - here) / (1 - best + kGrain);
    if (best > kClear && better > most) most = better, out = at;
  }
  return out;
}

PartsBeside partsBesidePlane(const SpotPatch& patch, const Vec3& plane,
                             const std::vector<const ReprojectedFrame*>& frames, double floor) {
  struct Block {
    double jj = 0, jr = 0, shared = 0, squares = 0, n = 0;
  };
  std::array<Block, SpotPatch::kBlocks> occludes{};
  constexpr double kStep = 1e-4;
  const double by = plane[0] * kStep;
  std::vector<float> seen, moved;
  for (const auto* o : frames) {
    Vec2 a, b;
    if (!patch.seenBy(*o, plane, seen) || !patch.seenBy(*o, plane + Vec3(by, 0, 0), moved) ||
        !patch.middleOn(*o, plane[0], a) || !patch.middleOn(*o, plane[0] + by, b))
      continue;
    std::array<double, SpotPatch::kBlocks> jj{};
    for (size_t i = 0; i < patch.size(); ++i) {
      const double j = (moved[i] - seen[i]) / by, r = patch.own()[i] - seen[i];
      auto& k = occludes[static_cast<size_t>(patch.occludes()[i])];
      jj[static_cast<size_t>(patch.occludes()[i])] += j * j;
      k.jr += j * r, k.squares += r * r, ++k.n;
    }
    // The patch's own grain moves a block the same way on all frames.
    for (size_t k = 0; k < occludes.size(); ++k)
      occludes[k].jj += jj[k], occludes[k].shared += (b - a).x() >= 0 ? std::sqrt(jj[k]) : -std::sqrt(jj[k]);
  }
  // Grain of one picture, half of what two differ by, by the blocks that fit best.
  std::vector<double> grain;
  for (const auto& k : occludes)
    if (k.n > 0) grain.push_back(k.squares / k.n / 2);
  if (grain.size() < occludes.size()) return {};
  std::sort(grain.begin(), grain.end());
  const double perPixel = grain[grain.size() / 3];
  PartsBeside out;
  for (const auto& k : occludes) {
    if (!(k.jj > 0)) continue;
    const double off = k.jr / k.jj,
                 variance = perPixel * (1 / k.jj + k.shared * k.shared / (k.jj * k.jj)) + floor * floor;
    out.squares += off * off / variance;
    out.worst = std::max(out.worst, std::abs(off) / std::sqrt(variance));
  }
  return out;
}

}  // namespace zentil::estimate
