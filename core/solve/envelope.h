#pragma once
#include <Eigen/Core>
#include <memory>
#include <vector>

namespace zentil::solve {

/// A symmetric, positive definite system whose rows begin late: block row i has nothing before block `first[i]`, and a
/// border of a few full rows stands at the end. That is what views are to each other when tracks are shorter than the
/// shot. Only what lies between the first entry of a row and the diagonal is kept, and Cholesky's factor fills no more
/// (George and Liu 1981, Computer Solution of Large Sparse Positive Definite Systems, chapter 4).
class Envelope {
 public:
  /// `first[i] <= i` is the first block that block row i meets; blocks are `block` wide.
  Envelope(const std::vector<int>& first, int block, int border);

  void clear();
  int size() const { return inside_ + border_; }
  /// Adds the lower triangle of a square matrix whose first row and column are those of block `at`.
  void add(int at, const Eigen::Ref<const Eigen::MatrixXd>& lower);
  /// Adds to the border's rows, from the column of block `at`; `border` rows.
  void addBorder(int at, const Eigen::MatrixXd& rows);
  /// Adds the lower triangle of what the border is to itself.
  void addCorner(const Eigen::MatrixXd& lower);
  double& diagonal(int i);

  /// Replaces the matrix by its Cholesky factor, on all cores; false when it is not positive definite.
  bool factor();
  /// Solves with the factor.
  Eigen::VectorXd solve(const Eigen::VectorXd& b) const;
  /// The lower triangle, whole; before factor().
  Eigen::MatrixXd dense() const;

 private:
  /// A few block rows together, so that the work is done by products of matrices.
  struct Panel {
    int row = 0, start = 0;  ///< first row, first column
    Eigen::MatrixXd values;  ///< rows x (row + rows - start)
    int rows() const { return static_cast<int>(values.rows()); }
    auto columns(int from, int to) { return values.middleCols(from - start, to - from); }
    auto columns(int from, int to) const { return values.middleCols(from - start, to - from); }
  };
  int block_, inside_, border_, panelRows_;
  std::vector<Panel> panels_;  ///< the border last, if there is one
};

}  // namespace zentil::solve
