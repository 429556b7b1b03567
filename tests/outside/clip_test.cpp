// A real clip that nobody here made: the 80 grey frames of folder cube in Debian's visp-images-data, a camera moving
// over posters with a die on them. Focal length unknown, no mattes.
#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <random>

#include "core/edit/new_shot.h"
#include "core/edit/solves.h"
#include "core/estimate/follow.h"
#include "core/measure/slip.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {
const std::string kClip = "/usr/share/visp-images-data/ViSP-images/cube/image.0000.pgm";

/// The plane that most points lie on (Fischler and Bolles 1981, Random Sample Consensus).
std::vector<Vec3> largestPlane(const std::vector<set::Point>& points, double within) {
  std::mt19937 random(1);
  std::uniform_int_distribution<size_t> any(0, points.size() - 1);
  std::vector<Vec3> best;
  for (int k = 0; k < 600; ++k) {
    const Vec3 a = points[any(random)].at, b = points[any(random)].at, c = points[any(random)].at;
    const Vec3 n = (b - a).cross(c - a).normalized();
    if (!(n.norm() > 0.5)) continue;
    std::vector<Vec3> on;
    for (const auto& p : points)
      if (std::abs((p.at - a).dot(n)) < within) on.push_back(p.at);
    if (on.size() > best.size()) best = on;
  }
  return best;
}
}  // namespace

TEST(Clip, ACameraOverPostersIsSolvedAndACheckerOnThemHolds) {
  if (!std::filesystem::exists(kClip)) FAIL() << kClip << " is not there (package visp-images-data)";
  shot::Shot s = edit::newShot({kClip, {}, {}, {}, 25});
  comp::RenderCache cache(size_t{500} << 20);
  s.tracks = std::make_shared<track::Tracks>(estimate::followShot(s, cache));
  const auto answer = solve::solve(*s.tracks, s.range, s.width, s.height, *s.camera, {}, {});
  edit::takeSolve(s, answer);
  ASSERT_EQ(s.camera->poses.size(), 80U);
  EXPECT_LE(answer.errors.rmsPx, 0.5);
  std::map<int, int> held;
  for (const auto& e : answer.errors.tracks) {
    if (!e.used()) continue;
    for (const auto& t : *s.tracks)
      if (t.id == e.id)
        for (int f = t.first; f <= t.last(); ++f) held[f] += t.has(f);
  }
  int fewest = 1000;
  for (int f = s.range.first; f <= s.range.last; ++f) fewest = std::min(fewest, held[f]);
  EXPECT_GE(fewest, 8);
  // The posters: the largest plane there is.
  // The size of the scene: how far points lie from the camera, typically.
  std::vector<double> far;
  for (const auto& p : *s.points) far.push_back((p.at - s.camera->poses.at(s.range.first).position).norm());
  std::nth_element(far.begin(), far.begin() + static_cast<long>(far.size() / 2), far.end());
  const double size = far[far.size() / 2];
  const auto posters = largestPlane(*s.points, 0.002 * size);
  ASSERT_GT(posters.size(), s.points->size() / 4);
  const auto fit = set::fitPlane(posters);
  set::Surface plane;
  plane.id = "s1", plane.name = "posters", plane.position = fit.centre;
  Vec3 normal = fit.normal;
  if ((s.camera->poses.begin()->second.position - fit.centre).dot(normal) < 0) normal = -normal;
  plane.turn = set::turnFor(normal);
  plane.size = Vec3(fit.extent.x() * 1.2, fit.extent.y() * 1.2, 1);
  s.surfaces = {plane};
  element::Element e;
  e.id = "e1", e.name = "checker";
  e.source = element::Checker{fit.extent.x() / 8};
  e.place = element::OnSurface{"s1"};
  s.elements = {e};
  // Against the middle of the clip, where a checker is held when it is measured; by OpenCV's ECC.
  std::vector<double> slips, own;
  for (int f = s.range.first + 10; f <= s.range.last - 10; f += 5) {
    const auto p = test::slipPictures(s, e, f, cache);
    const int w = p.plate.data.width(), h = p.plate.data.height();
    cv::Mat seen(h, w, CV_32F, const_cast<float*>(p.seen.values.data())),
        plate(h, w, CV_32F, const_cast<float*>(p.plate.values.data())),
        votes(h, w, CV_32F, const_cast<float*>(p.votes.values.data())), mask, move = cv::Mat::eye(2, 3, CV_32F);
    votes.convertTo(mask, CV_8U, 255);
    if (cv::countNonZero(mask) < 4000) continue;
    cv::findTransformECC(plate, seen, move, cv::MOTION_TRANSLATION, cv::TermCriteria(3, 100, 1e-6), mask, 3);
    slips.push_back(std::hypot(move.at<float>(0, 2), move.at<float>(1, 2)));
    const auto said = test::slipAt(s, e, f, cache);
    if (said.known) own.push_back(said.px());
  }
  ASSERT_GT(slips.size(), 8U);
  std::sort(slips.begin(), slips.end());
  std::sort(own.begin(), own.end());
  std::printf(
      "%zu tracks, RMS %.3f px, %d or more on every frame; %zu points on the posters; slip by ECC: median %.3f px, "
      "worst %.3f px (our own figure: median %.3f px)\n",
      s.tracks->size(), answer.errors.rmsPx, fewest, posters.size(), slips[slips.size() / 2], slips.back(),
      own.empty() ? -1.0 : own[own.size() / 2]);
  EXPECT_LE(slips[slips.size() / 2], 0.4);
}
