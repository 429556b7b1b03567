#pragma once
#include <memory>
#include <vector>

#include "core/base/geometry.h"
#include "core/lens/lens.h"

namespace zentil::map {

/// Where an output position comes from.
///
/// `piece` names the continuous part of the map it lies on; positions of the same piece may be interpolated between
/// each other, positions of different pieces may not. kNowhere: nothing is there.
struct MapSample {
  Vec2 at = Vec2::Zero();
  int branch = 0;
};
constexpr int kInvalid = -1;

/// A function from an output position to a source position. Straightening, bending, projecting through a held camera:
/// each is a map, and maps compose, so that a picture is resampled once however many lie between.
///
///   Chain chain;                                   // a pixel of the moving frame...
///   chain.add(std::make_shared<Straighten>(lens)); // ...straight...
///   chain.add(surfaceMap);                         // ...seen on the surface by the held camera...
///   chain.add(std::make_shared<Bend>(lens));       // ...bent by its lens: a pixel of the source frame
class Map {
 public:
  virtual ~Map() = default;
  /// Replaces n output positions by their source positions, in place. Spots that are kNowhere stay so.
  virtual void apply(MapSample* spots, size_t n) const = 0;
  /// True when the map may change its piece *inside* an area although it has one piece at the area's corners (a thin
  /// thing in front): the resampler then asks at every pixel. `corners` are the output positions of a cell, clockwise.
  virtual bool intricateWithin(const Vec2 (&corners)[4]) const {
    (void)corners;
    return false;
  }
};

using MapPtr = std::shared_ptr<const Map>;

/// Undistort: plate pixels to straight pixels.
class Undistort : public Map {
 public:
  explicit Undistort(const lens::LensOnPixels& lens) : lens_(lens) {}
  void apply(MapSample* spots, size_t n) const override;

 private:
  lens::LensOnPixels lens_;
};

/// Redistort: straight pixels to plate pixels.
class Redistort : public Map {
 public:
  explicit Redistort(const lens::LensOnPixels& lens) : lens_(lens) {}
  void apply(MapSample* spots, size_t n) const override;

 private:
  lens::LensOnPixels lens_;
};

/// A perspective map: (x, y, 1) times a 3x3 matrix; nowhere when the third component is not positive.
class Homography : public Map {
 public:
  explicit Homography(const Mat3& matrix) : m_(matrix) {}
  void apply(MapSample* spots, size_t n) const override;

 private:
  Mat3 m_;
};

/// Maps one after the other, first to last.
class Chain : public Map {
 public:
  void add(MapPtr map) { maps_.push_back(std::move(map)); }
  void apply(MapSample* spots, size_t n) const override;
  bool intricateWithin(const Vec2 (&corners)[4]) const override;

 private:
  std::vector<MapPtr> maps_;
};

/// How far positions a pixel apart land from each other, along the direction in which that is least (the smaller
/// singular value of the map's derivative); 0 where nothing is there.
double minSingularValue(const Map& map, const Vec2& at);

/// One position through a map. False when nothing is there.
bool through(const Map& map, const Vec2& from, Vec2& to);

}  // namespace zentil::map
