#pragma once
// The lattice on which a map is evaluated: exactly where it has to be, interpolated where it is smooth.
#include <vector>

#include "core/image/picture.h"
#include "core/map/eight.h"
#include "core/map/map.h"

namespace zentil::map {

/// The greatest error that interpolating positions inside a cell may bring, source pixels.
constexpr double kTolerance = 1.0 / 128;

/// Where a cell's pixels come from, relative to its top-left corner.
struct Cell {
  bool exact = false;              ///< evaluate at every pixel
  bool curved = false;             ///< not straight within: cubics through the nodes about it (Bend of Lattice)
  bool nowhere = false;            ///< nothing in it
  float reduceX = 1, reduceY = 1;  ///< source pixels per output pixel, along output x and y
};

/// Which cells of a region are asked for.
class WantedCells {
 public:
  /// `wanted`: a matte of the region, or null for all.
  WantedCells(const Box& region, const image::Picture* wanted);

  bool cell(int i, int j) const { return cells_.empty() || cells_[static_cast<size_t>(j) * columns_ + i]; }
  /// True where a node is needed for the cells asked for to be what they are without a matte.
  bool node(int i, int j) const { return near_.empty() || near_[static_cast<size_t>(j) * (columns_ + 1) + i]; }

 private:
  int columns_, rows_;
  std::vector<char> cells_, near_;  // empty: all
};

/// Where the 8 x 8 pixels of a cell lie in the source, row by row.
struct PlacesInCell {
  Eight x[kCell], y[kCell];
  int branch[kCell][kCell];
  bool whole;  ///< all of one piece
};

class Lattice {
 public:
  /// Evaluates the map at the corners of the region's cells, on all cores; it is asked again when cells are read.
  Lattice(const Map& map, const Box& region, const WantedCells& wanted);
  /// Every cell of a region, and all that is asked of the map, for a map that many pictures are read through.
  static Lattice kept(const Map& map, const Box& region);

  int cellColumns() const { return columns_ - 1; }
  int cellRows() const { return rows_ - 1; }
  const Box& region() const { return region_; }
  Cell cell(int i, int j) const;
  /// The places of a cell's pixels, less an origin. Not for a cell that is nowhere.
  void places(int i, int j, const Cell& cell, const Vec2& origin, PlacesInCell& out) const;
  /// The places of the corners of a cell that is neither exact nor nowhere.
  void corners(int i, int j, Vec2 (&out)[4]) const;
  size_t bytes() const;

 private:
  const MapSample& node(int i, int j) const { return nodes_[static_cast<size_t>(j) * columns_ + i]; }
  Vec2 outAt(int i, int j) const;
  void evaluate(int i, int j);
  Cell judged(int i, int j) const;
  void exactly(int i, int j, const Vec2& origin, PlacesInCell& out) const;
  /// By cubics through the nodes about a curved cell.
  void bent(int i, int j, const Vec2& origin, PlacesInCell& out) const;
  void straight(int i, int j, const Vec2& origin, PlacesInCell& out) const;
  /// Largest error of bilinear interpolation in a cell, from the second differences about it: h^2/8 |f''| each way, and
  /// the same piece must go on around it for the differences to mean anything.
  double curvature(int i, int j) const;
  /// Largest error of cubics through four nodes each way: 3/128 of the fourth difference, and the same piece all
  /// around.
  double fourthDifference(int i, int j) const;

  const Map* map_;  ///< null when what it says is kept
  Box region_;
  int columns_, rows_;
  std::vector<MapSample> nodes_;
  /// What kept() found: cells row by row, and the exact ones of each row from left to right.
  struct KeptCell {
    Cell cell;
    int exact = -1;
  };
  std::vector<KeptCell> cells_;
  std::vector<std::vector<PlacesInCell>> exact_;
};
}  // namespace zentil::map
