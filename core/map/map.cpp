#include "core/map/map.h"

#include <Eigen/LU>
#include <cmath>

#include <Eigen/Geometry>

namespace zentil::map {

void Undistort::apply(MapSample* spots, size_t n) const {
  size_t i = 0;
  for (; i + 4 <= n; i += 4) {
    Vec2 at[4];
    for (size_t k = 0; k < 4; ++k) at[k] = spots[i + k].at;
    const unsigned found = lens_.straightFromPlate(at);
    for (size_t k = 0; k < 4; ++k)
      if (found >> k & 1)
        spots[i + k].at = at[k];
      else
        spots[i + k].branch = kInvalid;
  }
  for (; i < n; ++i)
    if (spots[i].branch != kInvalid && !lens_.straightFromPlate(spots[i].at, spots[i].at)) spots[i].branch = kInvalid;
}

void Redistort::apply(MapSample* spots, size_t n) const {
  for (size_t i = 0; i < n; ++i)
    if (spots[i].branch != kInvalid && !lens_.plateFromStraight(spots[i].at, spots[i].at)) spots[i].branch = kInvalid;
}

void Homography::apply(MapSample* spots, size_t n) const {
  for (size_t i = 0; i < n; ++i) {
    if (spots[i].branch == kInvalid) continue;
    const Vec3 q = m_ * spots[i].at.homogeneous();
    if (q.z() > 1e-12)
      spots[i].at = q.head<2>() / q.z();
    else
      spots[i].branch = kInvalid;
  }
}

void Chain::apply(MapSample* spots, size_t n) const {
  for (const MapPtr& m : maps_) m->apply(spots, n);
}

bool Chain::intricateWithin(const Vec2 (&corners)[4]) const {
  Vec2 at[4] = {corners[0], corners[1], corners[2], corners[3]};
  for (size_t k = 0; k < maps_.size(); ++k) {
    if (maps_[k]->intricateWithin(at)) return true;
    if (k + 1 == maps_.size()) break;
    MapSample spots[4];
    for (int i = 0; i < 4; ++i) spots[i].at = at[i];
    maps_[k]->apply(spots, 4);
    for (int i = 0; i < 4; ++i) {
      if (spots[i].branch == kInvalid) return false;  // its piece tells
      at[i] = spots[i].at;
    }
  }
  return false;
}

double minSingularValue(const Map& map, const Vec2& at) {
  MapSample s[3] = {{at, 0}, {at + Vec2(1, 0), 0}, {at + Vec2(0, 1), 0}};
  map.apply(s, 3);
  for (const auto& spot : s)
    if (spot.branch == kInvalid) return 0;
  Mat2 d;
  d << s[1].at - s[0].at, s[2].at - s[0].at;
  const double f = d.squaredNorm(), det = std::abs(d.determinant());
  return std::sqrt(std::max(0.0, (f - std::sqrt(std::max(0.0, f * f - 4 * det * det))) / 2));
}

bool through(const Map& map, const Vec2& from, Vec2& to) {
  MapSample s;
  s.at = from;
  map.apply(&s, 1);
  to = s.at;
  return s.branch != kInvalid;
}

}  // namespace zentil::map
