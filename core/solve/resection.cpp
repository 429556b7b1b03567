#include "core/solve/resection.h"

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/core/eigen.hpp>
#include <random>

#include "core/base/matrices.h"

namespace zentil::solve {
namespace {

/// The turn that takes directions onto rays best.
Mat3 turnOnto(const std::vector<Vec3>& from, const std::vector<Vec3>& to, const std::vector<size_t>& which) {
  Mat3 m = Mat3::Zero();
  for (const size_t i : which) m += to[i] * from[i].transpose();
  return nearestRotation(m);
}

}  // namespace

bool placeView(const SeenPoints& seen, const View* near, double within, View& view) {
  const size_t n = seen.world.size();
  if (n < 8) return false;
  std::vector<cv::Point3d> world;
  std::vector<cv::Point2d> straight;
  world.reserve(n), straight.reserve(n);
  for (size_t i = 0; i < n; ++i) {
    world.emplace_back(seen.world[i].x(), seen.world[i].y(), seen.world[i].z());
    straight.emplace_back(seen.straight[i].x(), seen.straight[i].y());
  }
  cv::Mat turn, place = cv::Mat::zeros(3, 1, CV_64F), rotation;
  if (near) {
    cv::eigen2cv(near->turn, rotation);
    cv::Rodrigues(rotation, turn);
    cv::eigen2cv(near->place, place);
  }
  std::vector<int> agree;
  cv::setRNGSeed(1);
  if (!cv::solvePnPRansac(world, straight, cv::Mat::eye(3, 3, CV_64F), cv::noArray(), turn, place, near != nullptr, 200,
                          static_cast<float>(within), 0.999, agree, cv::SOLVEPNP_ITERATIVE) ||
      agree.size() < 8 || agree.size() < n / 3)
    return false;
  cv::Rodrigues(turn, rotation);
  cv::cv2eigen(rotation, view.turn);
  cv::cv2eigen(place, view.place);
  return true;
}

bool placeBefore(const SeenPoints& seen, const Vec3& normal, double away, double within, View& view) {
  const size_t n = seen.world.size();
  if (n < 6) return false;
  const Vec3 across = normal.unitOrthogonal(), up = normal.cross(across);
  std::vector<cv::Point2d> plane, straight;
  plane.reserve(n), straight.reserve(n);
  for (size_t i = 0; i < n; ++i) {
    plane.emplace_back(across.dot(seen.world[i]), up.dot(seen.world[i]));
    straight.emplace_back(seen.straight[i].x(), seen.straight[i].y());
  }
  std::vector<unsigned char> agree;
  cv::setRNGSeed(1);
  const cv::Mat found = cv::findHomography(plane, straight, cv::RANSAC, within, agree);
  if (found.empty() || cv::countNonZero(agree) < 6) return false;
  Mat3 h, axes, near;
  cv::cv2eigen(found, h);
  // Seen, the plane lies in front.
  const Vec3 middle(cv::mean(plane)[0], cv::mean(plane)[1], 1);
  h /= std::sqrt(h.col(0).norm() * h.col(1).norm()) * (h.row(2).dot(middle) < 0 ? -1 : 1);
  axes << across, up, normal;
  near << h.col(0), h.col(1), h.col(0).cross(h.col(1));
  view.turn = nearestRotation(near * axes.transpose());
  view.place = h.col(2) - view.turn * (away * normal);
  return true;
}

bool turnView(const SeenPoints& seen, double within, View& view) {
  const size_t n = seen.world.size();
  if (n < 4) return false;
  std::vector<Vec3> ways, rays;
  for (size_t i = 0; i < n; ++i) {
    ways.push_back(seen.world[i].normalized());
    rays.push_back(seen.straight[i].homogeneous().normalized());
  }
  // Two directions say a turn; the one that most agree with is kept and refined by those.
  std::mt19937 random(1);
  std::vector<size_t> best;
  for (int round = 0; round < 60; ++round) {
    const size_t a = random() % n, b = random() % n;
    if (a == b || ways[a].cross(ways[b]).norm() < 0.02) continue;
    const Mat3 r = turnOnto(ways, rays, {a, b});
    std::vector<size_t> agree;
    for (size_t i = 0; i < n; ++i)
      if ((r * ways[i] - rays[i]).norm() < within) agree.push_back(i);
    if (agree.size() > best.size()) best = std::move(agree);
  }
  if (best.size() < 4 || best.size() < n / 3) return false;
  view.turn = turnOnto(ways, rays, best);
  return true;
}

}  // namespace zentil::solve
