#include "core/solve/envelope.h"

#include <Eigen/Cholesky>
#include <algorithm>

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
  if (border == 0) return;
  Panel p;
  p.row = inside_;
  p.values = MatrixXd::Zero(border, inside_ + border);
  panels_.push_back(std::move(p));
}

void Envelope::clear() {
  for (Panel& p : panels_) p.values.setZero();
}

void Envelope::add(int at, const MatrixXd& lower) {
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
  for (size_t j = 0; j < panels_.size(); ++j) {
    Panel& a = panels_[j];
    for (size_t k = static_cast<size_t>(a.start / panelRows_); k < j; ++k) {
      const Panel& l = panels_[k];
      const int from = std::max(a.start, l.start);
      auto x = a.columns(l.row, l.row + l.rows());
      if (from < l.row) x.noalias() -= a.columns(from, l.row) * l.columns(from, l.row).transpose();
      const auto own = l.columns(l.row, l.row + l.rows());
      own.triangularView<Eigen::Lower>().transpose().solveInPlace<Eigen::OnTheRight>(x);
    }
    auto own = a.columns(a.row, a.row + a.rows());
    if (a.start < a.row) own.selfadjointView<Eigen::Lower>().rankUpdate(a.columns(a.start, a.row), -1.0);
    const Eigen::LLT<MatrixXd> llt(own);
    if (llt.info() != Eigen::Success) return false;
    own = llt.matrixL();
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
