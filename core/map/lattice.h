#pragma once
// The lattice on which a map is evaluated: exactly where it has to be, interpolated where it is smooth.
#include <vector>

#include "core/image/picture.h"
#include "core/map/map.h"
#include "core/map/reader.h"

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

/// Weights of four evenly spaced nodes for the pixels between the second and the third (Lagrange's cubic).
struct CubicInCell {
  float weights[4][kCell];
};
const CubicInCell& cubicInCell();

class Lattice {
 public:
  /// Evaluates the map at the corners of the region's cells, on all cores.
  Lattice(const Map& map, const Box& region, const WantedCells& wanted);

  const Spot& node(int i, int j) const { return nodes_[static_cast<size_t>(j) * columns_ + i]; }
  int cellColumns() const { return columns_ - 1; }
  int cellRows() const { return rows_ - 1; }
  Cell cell(int i, int j) const;
  /// The four columns of a curved cell's cubics at a row of its pixels (0 to 7), less an origin: what stands between
  /// the second and the third is the cell.
  void columnsOf(int i, int j, int row, const Vec2& origin, Vec2 (&columns)[4]) const;

 private:
  Vec2 outAt(int i, int j) const;
  void evaluate(int i, int j);
  /// Largest error of bilinear interpolation in a cell, from the second differences about it: h^2/8 |f''| each way, and
  /// the same piece must go on around it for the differences to mean anything.
  double curvature(int i, int j) const;
  /// Largest error of cubics through four nodes each way: 3/128 of the fourth difference, and the same piece all
  /// around.
  double liveliness(int i, int j) const;

  const Map& map_;
  Box region_;
  int columns_, rows_;
  std::vector<Spot> nodes_;
};
}  // namespace zentil::map
