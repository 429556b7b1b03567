// Moves rendered by POV-Ray, with blur, grain and compression, tracked and solved from their pictures alone: how far
// focal length, centre and lens lie from the truth against what is stated, and how far things slip against what is
// predicted. Projections are OpenCV's own.
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/estimate/follow.h"
#include "core/image/plate.h"
#include "core/shot/trackers.h"
#include "tests/outside/truth.h"
#include "tests/support/rendered_move.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

// What stands here is this file's own: several files are compiled as one.
namespace zentil::moves {
namespace {

using test::RenderedMove;

constexpr int kWidth = RenderedMove::kWidth, kHeight = RenderedMove::kHeight;

/// What is known before: the film back, and no focal length.
shot::Shot shotOf(const RenderedMove& move) {
  shot::Shot s;
  s.name = move.name;
  s.setPlate(image::openPlate(test::render(move, ZENTIL_MOVES)));
  auto body = std::make_shared<camera::CameraPath>();
  body->backWidthMm = RenderedMove::kBackMm, body->backHeightMm = RenderedMove::kBackMm * kHeight / kWidth;
  s.camera = body;
  if (move.name == "zoom") s.solveSettings.focal = solve::Focal::Zooming;
  return s;
}

bool isSeen(const Vec2& at) { return at.x() >= 0 && at.y() >= 0 && at.x() < kWidth && at.y() < kHeight; }

/// A true place where a frame shows it, and the cell of the evidence that it lies in.
struct Seen {
  int frame;
  size_t place, cell;
  Vec2 at;
};

struct Slips {
  double measuredPx = 0, predictedPx = 0;  ///< RMS over all places and frames
  double ratio() const { return predictedPx / std::max(measuredPx, 1e-9); }
};

struct Judged {
  std::string words;  ///< of the error, where it was not solved
  solve::SolveAnswer answer;
  double seconds = 0;
  size_t tracks = 0;
  Slips placed, built;
};

/// Everything true that is seen by a camera in every third frame.
std::vector<Seen> seenOf(const RenderedMove& move, const camera::CameraPath& truth, const solve::SolveAnswer& a) {
  std::vector<Seen> out;
  const auto places = test::placesOf(move);
  for (const auto& [f, pose] : a.camera.poses) {
    if ((f - RenderedMove::kFirst) % 3) continue;
    const auto camera = test::cvCamera(truth, move.lens(), f, kWidth, kHeight);
    const auto own = truth.at(f, kWidth, kHeight);
    for (size_t i = 0; i < places.size(); ++i) {
      if (own.depthOf(places[i]) < 0.5) continue;
      // Far outside a barrel lens folds over, and would show places inside the frame that are not there.
      constexpr double kBeyond = 60;
      Vec2 straight;
      if (!own.project(places[i], straight) || straight.x() < -kBeyond || straight.y() < -kBeyond ||
          straight.x() > kWidth + kBeyond || straight.y() > kHeight + kBeyond)
        continue;
      const Vec2 at = test::projected(camera, places[i]);
      if (!isSeen(at)) continue;
      const auto cell = static_cast<size_t>(at.y() * solve::Evidence::kDown / kHeight) * solve::Evidence::kAcross +
                        static_cast<size_t>(at.x() * solve::Evidence::kAcross / kWidth);
      out.push_back({f, i, cell, at});
    }
  }
  return out;
}

/// Places found anew through the solve from where the truth shows them.
Slips placedSlips(const RenderedMove& move, const camera::CameraPath& truth, const solve::SolveAnswer& a,
                  const std::vector<Seen>& seen) {
  std::map<int, test::CvCamera> cameras;
  for (const auto& [f, pose] : a.camera.poses) cameras[f] = test::cvCamera(a.camera, a.lens, f, kWidth, kHeight);
  std::map<size_t, std::vector<const Seen*>> byPlace;
  for (const Seen& s : seen) byPlace[s.place].push_back(&s);
  const auto places = test::placesOf(move);
  const bool turns = a.errors.kind == solve::Kind::Tripod;
  Slips out;
  size_t n = 0;
  for (const auto& [place, all] : byPlace) {
    if (all.size() < 4) continue;
    std::vector<test::CvCamera> by;
    std::vector<Vec2> at;
    for (const Seen* s : all) by.push_back(cameras.at(s->frame)), at.push_back(s->at);
    // To begin with: along the ray of one frame, as far as it is, in the solve's measure.
    const int f = all.front()->frame;
    const auto &own = truth.poses.at(f), &found = a.camera.poses.at(f);
    double size = 1;
    if (!turns) {
      const auto &first = a.camera.poses.begin()->second, &last = a.camera.poses.rbegin()->second;
      size = (last.position - first.position).norm() / (truth.poses.at(a.camera.poses.rbegin()->first).position -
                                                        truth.poses.at(a.camera.poses.begin()->first).position)
                                                           .norm();
    }
    const Vec3 start =
        found.position + size * (found.rotation * (own.rotation.transpose() * (places[place] - own.position)));
    const Vec3 x = test::triangulated(by, at, start, turns ? 1e-3 : 0);
    for (size_t i = 0; i < all.size(); ++i) {
      out.measuredPx += (test::projected(by[i], x) - at[i]).squaredNorm();
      out.predictedPx += std::pow(a.errors.evidence.slipPx.at(all[i]->frame).at(all[i]->cell), 2);
      ++n;
    }
  }
  out.measuredPx = std::sqrt(out.measuredPx / static_cast<double>(std::max<size_t>(n, 1)));
  out.predictedPx = std::sqrt(out.predictedPx / static_cast<double>(std::max<size_t>(n, 1)));
  return out;
}

/// The true world laid on the solve's by the similarity (of a turning camera: the rotation) that makes slips least.
Slips builtSlips(const RenderedMove& move, const camera::CameraPath& truth, const solve::SolveAnswer& a,
                 const std::vector<Seen>& seen) {
  const auto places = test::placesOf(move);
  const bool turns = a.errors.kind == solve::Kind::Tripod;
  std::map<int, test::CvCamera> cameras;
  for (const auto& [f, pose] : a.camera.poses) cameras[f] = test::cvCamera(a.camera, a.lens, f, kWidth, kHeight);
  const auto first = a.camera.poses.begin(), last = std::prev(a.camera.poses.end());
  const auto &own = truth.poses.at(first->first), &end = truth.poses.at(last->first);
  const double size =
      turns ? 1 : (last->second.position - first->second.position).norm() / (end.position - own.position).norm();
  Eigen::Matrix4d laid = Eigen::Matrix4d::Identity();
  const Mat3 turn = first->second.rotation * own.rotation.transpose();
  laid.topLeftCorner<3, 3>() = size * turn;
  laid.topRightCorner<3, 1>() = first->second.position - size * turn * own.position;
  const auto residuals = [&](const Eigen::Matrix4d& m) {
    Eigen::VectorXd r(2 * static_cast<long>(seen.size()));
    for (size_t i = 0; i < seen.size(); ++i)
      r.segment<2>(2 * static_cast<long>(i)) =
          test::projected(cameras.at(seen[i].frame), (m * places[seen[i].place].homogeneous()).head<3>()) - seen[i].at;
    return r;
  };
  // Turned and resized about the true first camera: of a turning one that leaves its place.
  const auto moved = [&](const Eigen::Matrix4d& m, const Eigen::VectorXd& d) {
    Eigen::Matrix4d step = Eigen::Matrix4d::Identity(), to = Eigen::Matrix4d::Identity(), back = to;
    to.topRightCorner<3, 1>() = own.position, back.topRightCorner<3, 1>() = -own.position;
    const Vec3 w = d.head<3>();
    const double s = d.size() > 3 ? std::exp(d[6]) : 1;
    step.topLeftCorner<3, 3>() = w.norm() > 0 ? Mat3(s * Eigen::AngleAxisd(w.norm(), w.normalized()).toRotationMatrix())
                                              : Mat3(s * Mat3::Identity());
    if (d.size() > 3) step.topRightCorner<3, 1>() = d.segment<3>(3);
    return Eigen::Matrix4d(m * to * step * back);
  };
  const long free = turns ? 3 : 7;
  Eigen::VectorXd r = residuals(laid);
  for (int round = 0; round < 12; ++round) {
    Eigen::MatrixXd j(r.size(), free);
    for (long k = 0; k < free; ++k)
      j.col(k) = (residuals(moved(laid, 1e-6 * Eigen::VectorXd::Unit(free, k))) - r) / 1e-6;
    const Eigen::Matrix4d next = moved(laid, (j.transpose() * j).ldlt().solve(-j.transpose() * r));
    const Eigen::VectorXd better = residuals(next);
    if (!(better.squaredNorm() < r.squaredNorm())) break;
    laid = next, r = better;
  }
  Slips out;
  double predicted = 0;
  for (const Seen& s : seen) predicted += std::pow(a.errors.evidence.builtPx.at(s.frame).at(s.cell), 2);
  const auto n = static_cast<double>(std::max<size_t>(seen.size(), 1));
  out.measuredPx = std::sqrt(r.squaredNorm() / n), out.predictedPx = std::sqrt(predicted / n);
  return out;
}

Judged judge(const RenderedMove& move) {
  Judged out;
  auto s = shotOf(move);
  comp::RenderCache cache(test::kBudget);
  const auto tracks = estimate::followShot(s, cache);
  out.tracks = tracks.size();
  s.tracks = std::make_shared<track::Tracks>(tracks);
  const auto began = std::chrono::steady_clock::now();
  try {
    out.answer = estimate::solveShot(s);
  } catch (const Error& e) {
    out.words = e.what();
  }
  out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  if (!out.words.empty()) return out;
  const auto truth = move.truth();
  const auto seen = seenOf(move, truth, out.answer);
  out.placed = placedSlips(move, truth, out.answer, seen);
  out.built = builtSlips(move, truth, out.answer, seen);
  return out;
}

}  // namespace

TEST(MovesOutside, WhatIsStatedHoldsTheTruthOnRenderedMoves) {
  // As every change is tested the hardest of them; all twelve, some half an hour of rendering, with --all.
  int judged = 0, focal = 0, centre = 0, k1 = 0, placed = 0, built = 0, focals = 0;
  for (const RenderedMove& move : test::renderedMoves()) {
    if (const char* only = std::getenv("ZENTIL_MOVE");
        only ? move.name != only : test::some(move.name != "dolly_in", false))
      continue;
    const Judged j = judge(move);
    if (move.name == "still") {
      EXPECT_NE(j.words.find("camera is static"), std::string::npos) << j.words;
      std::printf("still: %s\n", j.words.c_str());
      continue;
    }
    EXPECT_EQ(j.words, "") << move.name;
    if (!j.words.empty()) continue;
    const auto& sigma = j.answer.errors.evidence.sigma;
    const Vec2 off = j.answer.camera.centreOffsetPx - move.centreOffsetPx;
    const double focalMm = j.answer.camera.focalMm, focalSigmaMm = sigma.focal * RenderedMove::kBackMm,
                 focalTimes = (focalMm - move.focalMm(0)) / focalSigmaMm,
                 centreTimes = std::max(std::abs(off.x()) / (sigma.centreX * kWidth),
                                        std::abs(off.y()) / (sigma.centreY * kWidth)),
                 k1Times = (j.answer.lens.k1 - move.k1) / sigma.k1;
    std::printf(
        "%-14s %4zu tracks %5.1f s %.3f px | focal %.2f +- %.2f (%+.2f sigma) centre %+.2f %+.2f px (%.2f sigma) k1 "
        "%.4f "
        "+- %.4f (%+.2f sigma) | placed %.4f px, predicted %.2f of it; built %.3f px, predicted %.2f of it\n",
        move.name.c_str(), j.tracks, j.seconds, j.answer.errors.rmsPx, focalMm, focalSigmaMm, focalTimes, off.x(),
        off.y(), centreTimes, j.answer.lens.k1, sigma.k1, k1Times, j.placed.measuredPx, j.placed.ratio(),
        j.built.measuredPx, j.built.ratio());
    ++judged;
    // Of a zoom every frame has a focal length of its own, and none a stated error.
    if (!std::isnan(focalTimes)) ++focals, focal += std::abs(focalTimes) < 2;
    // Of two coordinates the larger: 2.24 hold as many as 2 of one.
    centre += centreTimes < 2.24, k1 += std::abs(k1Times) < 2;
    const auto near = [](double ratio) { return ratio > 0.6 && ratio < 1.6; };
    // Where the focal length is said not to be known, what is built to measure may be predicted to slip too far.
    const auto& remarks = j.answer.errors.remarks;
    const bool unknown = std::any_of(remarks.begin(), remarks.end(), [](const std::string& r) {
      return r.find("the focal length is not known") != std::string::npos;
    });
    if (move.name == "dolly_in") {
      EXPECT_TRUE(unknown || std::abs(focalMm / move.focalMm(0) - 1) < 0.01) << focalMm;
    }
    placed += near(j.placed.ratio()), built += unknown ? j.built.ratio() > 0.6 : near(j.built.ratio());
  }
  std::printf("%d moves: focal length %d of %d, centre %d, k1 %d, placed %d, built %d\n", judged, focal, focals, centre,
              k1, placed, built);
  EXPECT_GE(focal, focals - (focals > 1));
  EXPECT_GE(centre, judged - (judged > 1));
  EXPECT_GE(k1, judged - (judged > 1));
  // How far things slip is asked over all the moves: of one, a few values decide.
  if (judged > 1) {
    EXPECT_GE(placed, judged - 1);
    EXPECT_GE(built, judged - 1);
  }
}

}  // namespace zentil::moves
