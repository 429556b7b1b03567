#pragma once
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::lens {

/// Positions on one picture, kept for the middles of a lattice of cells laid over another: half of an ST map. Between
/// the middles positions are interpolated linearly; up to two cells beyond the border they are carried on.
class PositionTable {
 public:
  PositionTable() = default;
  /// `on`: the area covered, in pixels of the picture the table lies on, cut into columns x rows cells.
  PositionTable(const Box& on, int columns, int rows);

  bool empty() const { return positions_.empty(); }
  const Box& on() const { return on_; }
  int columns() const { return columns_; }
  int rows() const { return rows_; }
  void set(int column, int row, const Vec2& position);
  /// The position kept for a cell; not a number where nothing is (a hole).
  Vec2 cell(int column, int row) const;
  /// Middle of a cell, in pixels of the picture the table lies on.
  Vec2 middle(int column, int row) const;

  /// Where p leads; `slope`, when asked for, is d(q)/d(p). False outside and in holes.
  bool at(const Vec2& p, Vec2& q, Mat2* slope = nullptr) const;

 private:
  Box on_;
  int columns_ = 0, rows_ = 0;
  double perColumn_ = 1, perRow_ = 1;  ///< cells a pixel
  std::vector<float> positions_;       ///< x and y of each cell, row by row
};

/// The table that leads back: for cells of `on`, where `table` sends to them; found by Newton's method from cell to
/// cell, to 1e-4 px. Cells that nothing leads to are holes.
PositionTable inverse(const PositionTable& table, const Box& on, int columns, int rows);

/// A lens known by positions alone, as ST maps bring it.
struct LensMaps {
  PositionTable undistort;                   ///< on the straight picture, in straight pixels: where on the plate
  PositionTable redistort;                   ///< on the plate: where in the straight picture
  std::string undistortFile, redistortFile;  ///< empty: found by inverting the other
  Box straight;                              ///< the straight picture, in straight pixels
};

/// ST maps as files and what they were made for.
struct StMapFiles {
  std::filesystem::path undistort, redistort;  ///< one of them may be empty
  int straightWidth = 0, straightHeight = 0;   ///< 0: the undistort map's own size, or the plate's without one
};

struct StMapAnswer {
  std::shared_ptr<const LensMaps> maps;
  bool fromTop = true;               ///< green counts from the top of the picture
  double pairPx = 0;                 ///< median distance of a plate pixel from itself, there and back; 0 for one map
  double pairWorstPx = 0;            ///< the same, the worst of the frame
  std::vector<std::string> remarks;  ///< holes, lost precision, maps that do not belong together
};

/// Reads a lens from ST maps (red across, green down or up, as parts of the picture that is read; positions are of
/// pixel centres; common practice, no source). The straight picture lies around the plate, both with the same middle
/// and the same pixels. Which way green counts is seen in the maps; maps may have any size. Throws Error when a file is
/// no ST map (constant, red and green exchanged, running backwards), has holes inside the frame, or another aspect.
StMapAnswer readStMaps(const StMapFiles& files, int plateWidth, int plateHeight);

}  // namespace zentil::lens
