#pragma once
// The demo's truth, and what becomes of it through a solve. Projections are OpenCV's own.
#include <Eigen/Dense>
#include <opencv2/calib3d.hpp>

#include "core/shot/shot.h"
#include "core/solve/solve.h"

namespace zentil::test {

struct CvCamera {
  cv::Mat inner, lens, turn, place;
};

/// A shot's camera at a frame, as OpenCV has it.
inline CvCamera cvCamera(const camera::CameraPath& path, const lens::Lens& l, int frame, int width = 1280,
                         int height = 720) {
  const auto c = path.at(frame, width, height);
  CvCamera out;
  out.inner = (cv::Mat_<double>(3, 3) << c.fx, 0, c.cx - 0.5, 0, c.fy, c.cy - 0.5, 0, 0, 1);
  out.lens = (cv::Mat_<double>(1, 5) << l.k1, l.k2, l.p1, l.p2, l.k3);
  const Mat3 r = Vec3(1, -1, -1).asDiagonal() * c.rotation.transpose();
  const Vec3 t = -r * c.position;
  cv::Mat m(3, 3, CV_64F);
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) m.at<double>(y, x) = r(y, x);
  cv::Rodrigues(m, out.turn);
  out.place = (cv::Mat_<double>(3, 1) << t.x(), t.y(), t.z());
  return out;
}

inline Vec2 projected(const CvCamera& c, const Vec3& world) {
  std::vector<cv::Point2d> out;
  cv::projectPoints(std::vector<cv::Point3d>{{world.x(), world.y(), world.z()}}, c.turn, c.place, c.inner, c.lens, out);
  return {out[0].x + 0.5, out[0].y + 0.5};
}

/// Best place of a point seen at these pixels, by Gauss-Newton on OpenCV's projection with its derivatives. `damping`:
/// of the trace, where nothing tells how far it is.
inline Vec3 triangulated(const std::vector<CvCamera>& cameras, const std::vector<Vec2>& seen, Vec3 x,
                         double damping = 0) {
  for (int round = 0; round < 12; ++round) {
    Mat3 h = Mat3::Zero();
    Vec3 g = Vec3::Zero();
    for (size_t i = 0; i < cameras.size(); ++i) {
      const Vec2 at = projected(cameras[i], x);
      Eigen::Matrix<double, 2, 3> j;
      for (int k = 0; k < 3; ++k) j.col(k) = (projected(cameras[i], x + 1e-5 * Vec3::Unit(k)) - at) / 1e-5;
      h += j.transpose() * j, g += j.transpose() * (at - seen[i]);
    }
    h.diagonal().array() += damping * h.trace();
    const Vec3 d = h.ldlt().solve(g);
    x -= d;
    if (d.norm() < 1e-9) break;
  }
  return x;
}

/// The similarity that takes a solve's camera centres to the truth's.
inline Eigen::Matrix4d byCentres(const camera::CameraPath& found, const camera::CameraPath& truth) {
  Eigen::Matrix3Xd a(3, static_cast<long>(found.poses.size())), b = a;
  long i = 0;
  for (const auto& [f, p] : found.poses) a.col(i) = p.position, b.col(i) = truth.poses.at(f).position, ++i;
  return Eigen::umeyama(a, b, true);
}

/// The truth's points placed anew from where they truly are on the plate, through the solved cameras.
struct TruthScene {
  std::vector<std::pair<Vec3, Vec3>> places;  ///< in the truth's world and in the solve's
  std::vector<std::vector<std::pair<int, Vec2>>> sights;
  std::map<int, CvCamera> found;
  Eigen::Matrix4d toSolve;  ///< the similarity that fits the truth's places to the solve's best

  TruthScene(const shot::Shot& shot, const solve::SolveAnswer& answer) {
    const Eigen::Matrix4d back = byCentres(answer.camera, *shot.camera).inverse();
    std::map<int, CvCamera> truth;
    for (const auto& [f, p] : answer.camera.poses) {
      truth[f] = cvCamera(*shot.camera, shot.lens, f);
      found[f] = cvCamera(answer.camera, answer.lens, f);
    }
    for (const auto& p : *shot.points) {
      std::vector<CvCamera> cameras;
      std::vector<Vec2> seen;
      std::vector<std::pair<int, Vec2>> where;
      for (const auto& [f, c] : truth) {
        if (shot.cameraAt(f).depthOf(p.at) < 0.1) continue;
        const Vec2 at = projected(c, p.at);
        if (at.x() < 0 || at.y() < 0 || at.x() > 1280 || at.y() > 720) continue;
        cameras.push_back(found.at(f)), seen.push_back(at), where.emplace_back(f, at);
      }
      if (where.size() < 5) continue;
      places.emplace_back(p.at,
                          triangulated(cameras, seen, back.topLeftCorner<3, 3>() * p.at + back.topRightCorner<3, 1>()));
      sights.push_back(where);
    }
    Eigen::Matrix3Xd a(3, static_cast<long>(places.size())), b = a;
    for (size_t i = 0; i < places.size(); ++i)
      a.col(static_cast<long>(i)) = places[i].first, b.col(static_cast<long>(i)) = places[i].second;
    toSolve = Eigen::umeyama(a, b, true);
  }

  /// Slip of a point that was placed anew.
  Vec2 placedSlip(size_t point, int frame, const Vec2& seen) const {
    return projected(found.at(frame), places[point].second) - seen;
  }

  /// Slip of a truth point through one similarity, where it is seen on a frame.
  Vec2 slip(size_t point, int frame, const Vec2& seen) const {
    const Vec3 x = toSolve.topLeftCorner<3, 3>() * places[point].first + toSolve.topRightCorner<3, 1>();
    return projected(found.at(frame), x) - seen;
  }
};

}  // namespace zentil::test
