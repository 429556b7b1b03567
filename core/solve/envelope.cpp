#include "core/solve/envelope.h"

#include <Eigen/Cholesky>
#include <algorithm>

#include "core/base/parallel.h"

namespace zentil::solve {

using Eigen::MatrixXd;
using Eigen::VectorXd;

Envelope::Envelope(const std::vector<int>& first, int block, int border)
    : block_(block), inside_(block * static_cast<int>(first.size())), border_(border) {
  const int blocks = static_cast<int>(first.size()), together = std::max(1, 48 / block);
  panelRows_ = together * block;
  for (int b = 0; b < blocks; b += together) {
    const int end = std::min(blocks, b + together);
    int start = b;
    for (int i = b; i < end; ++i) start = std::min(start, first[static_cast<size_t>(i)]);
    Panel p;
    p.row = b * block, p.start = start / together * panelRows_;
    p.values = MatrixXd::Zero((end - b) * block, end * block - p.start);
    panels_.push_back(std::move(p));
  }
  if (border > 0) {
    Panel p;
    p.row = inside_;
    p.values = MatrixXd::Zero(border, inside_ + border);
    panels_.push_back(std::move(p));
  }
}

void Envelope::clear() {
  for (Panel& p : panels_) p.values.setZero();
}

void Envelope::add(int at, const Eigen::Ref<const MatrixXd>& lower) {
  const int begin = at * block_, end = begin + static_cast<int>(lower.rows());
  for (int row = begin; row < end;) {
    Panel& p = panels_[static_cast<size_t>(row / panelRows_)];
    const int last = std::min(end, p.row + p.rows());
    // What lies before the panel's first column is nothing: no point joins those views.
    const int from = std::max(begin, p.start);
    p.values.block(row - p.row, from - p.start, last - row, last - from) +=
        lower.block(row - begin, from - begin, last - row, last - from);
    row = last;
  }
}

void Envelope::addBorder(int at, const MatrixXd& rows) {
  if (border_) panels_.back().values.middleCols(at * block_, rows.cols()) += rows;
}

void Envelope::addCorner(const MatrixXd& lower) {
  if (border_) panels_.back().values.rightCols(border_) += lower;
}

double& Envelope::diagonal(int i) {
  Panel& p = i < inside_ ? panels_[static_cast<size_t>(i / panelRows_)] : panels_.back();
  return p.values(i - p.row, i - p.start);
}

bool Envelope::factor() {
  std::vector<size_t> below;  // panels that the one at hand reaches down to
  for (size_t j = 0; j < panels_.size(); ++j) {
    const Panel& l = panels_[j];
    auto own = panels_[j].columns(l.row, l.row + l.rows());
    const Eigen::LLT<MatrixXd> llt(own);
    if (llt.info() != Eigen::Success) return false;
    own = llt.matrixL();
    below.clear();
    for (size_t i = j + 1; i < panels_.size(); ++i)
      if (panels_[i].start <= l.row) below.push_back(i);
    const auto n = static_cast<int>(below.size());
    parallelRanges(0, n, 1, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        auto x = panels_[below[static_cast<size_t>(k)]].columns(l.row, l.row + l.rows());
        own.triangularView<Eigen::Lower>().transpose().solveInPlace<Eigen::OnTheRight>(x);
      }
    });
    // What it takes away from those, and from what they are to each other.
    parallelRanges(0, n, 1, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        Panel& a = panels_[below[static_cast<size_t>(k)]];
        const auto x = a.columns(l.row, l.row + l.rows());
        for (int m = 0; m < k; ++m) {
          const Panel& b = panels_[below[static_cast<size_t>(m)]];
          a.columns(b.row, b.row + b.rows()).noalias() -= x * b.columns(l.row, l.row + l.rows()).transpose();
        }
        auto corner = a.columns(a.row, a.row + a.rows());
        corner.selfadjointView<Eigen::Lower>().rankUpdate(x, -1.0);
      }
    });
  }
  return true;
}

VectorXd Envelope::solve(const VectorXd& b) const {
  VectorXd x = b;
  for (const Panel& p : panels_) {
    auto part = x.segment(p.row, p.rows());
    part -= p.columns(p.start, p.row) * x.segment(p.start, p.row - p.start);
    const auto own = p.columns(p.row, p.row + p.rows());
    own.triangularView<Eigen::Lower>().solveInPlace(part);
  }
  for (auto p = panels_.rbegin(); p != panels_.rend(); ++p) {
    auto part = x.segment(p->row, p->rows());
    const auto own = p->columns(p->row, p->row + p->rows());
    own.triangularView<Eigen::Lower>().transpose().solveInPlace(part);
    x.segment(p->start, p->row - p->start) -= p->columns(p->start, p->row).transpose() * part;
  }
  return x;
}

MatrixXd Envelope::dense() const {
  MatrixXd out = MatrixXd::Zero(size(), size());
  for (const Panel& p : panels_) out.block(p.row, p.start, p.rows(), p.values.cols()) = p.values;
  out.triangularView<Eigen::StrictlyUpper>() = out.transpose();
  return out;
}

}  // namespace zentil::solve
