#include "core/camera/samples.h"

#include <Eigen/Geometry>

namespace zentil::camera {
namespace {

Eigen::Matrix4d matrixOf(const std::vector<double>& v) {
  Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
  for (int i = 0; i < 16 && i < static_cast<int>(v.size()); ++i) m(i / 4, i % 4) = v[static_cast<size_t>(i)];
  return m;
}

}  // namespace

std::vector<double> Samples::value(double time) const {
  const auto after = at.lower_bound(time);
  if (after == at.begin()) return after->second;
  if (after == at.end()) return std::prev(after)->second;
  const auto before = std::prev(after);
  const double t = (time - before->first) / (after->first - before->first);
  std::vector<double> out = before->second;
  for (size_t i = 0; i < out.size() && i < after->second.size(); ++i) out[i] += t * (after->second[i] - out[i]);
  return out;
}

Eigen::Matrix4d Samples::matrix(double time) const {
  constexpr double kSame = 1e-6;
  const auto after = at.lower_bound(time - kSame);
  if (after == at.begin() || (after != at.end() && std::abs(after->first - time) <= kSame))
    return matrixOf(after->second);
  if (after == at.end()) return matrixOf(std::prev(after)->second);
  const auto before = std::prev(after);
  const double t = (time - before->first) / (after->first - before->first);
  const Eigen::Matrix4d a = matrixOf(before->second), b = matrixOf(after->second);
  Vec3 pa, pb;
  Mat3 ra, rb;
  placeAndTurn(a, pa, ra), placeAndTurn(b, pb, rb);
  Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
  out.topLeftCorner<3, 3>() = Eigen::Quaterniond(ra).slerp(t, Eigen::Quaterniond(rb)).toRotationMatrix();
  out.topRightCorner<3, 1>() = pa + t * (pb - pa);
  return out;
}

void placeAndTurn(const Eigen::Matrix4d& m, Vec3& place, Mat3& turn) {
  place = m.topRightCorner<3, 1>();
  turn = m.topLeftCorner<3, 3>();
  for (int i = 0; i < 3; ++i)
    if (const double n = turn.col(i).norm(); n > 0) turn.col(i) /= n;
}

Eigen::Matrix4d toYUpMetres(bool zUp, double metresPerUnit) {
  Mat3 axes = Mat3::Identity();
  if (zUp) axes << 1, 0, 0, 0, 0, 1, 0, -1, 0;
  Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
  out.topLeftCorner<3, 3>() = axes * metresPerUnit;
  return out;
}

}  // namespace zentil::camera
