// Distortion from straight things alone.
#include "core/lens/straight_lines.h"

#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "tests/support/some.h"

using namespace zentil;
using lens::LensOnPixels;
using lens::StraightLine;

namespace {

constexpr int kWidth = 1280, kHeight = 720;
constexpr double kFocal = 1234.2;

LensOnPixels lensOf(double k1, double k2, double cx = 644.3, double cy = 357.3) {
  lens::Lens l;
  l.k1 = k1, l.k2 = k2;
  return {l, kFocal, kFocal, cx, cy};
}

/// A straight line between two straight pixels as the lens bends it, with noise on every point.
StraightLine bentLine(const std::string& id, const LensOnPixels& lens, const Vec2& a, const Vec2& b,
                      std::mt19937& random, double noise, int points = 14) {
  std::normal_distribution<double> n(0, noise);
  StraightLine line;
  line.id = id;
  for (int i = 0; i < points; ++i) {
    Vec2 p;
    EXPECT_TRUE(lens.plateFromStraight(a + (b - a) * i / (points - 1.0), p));
    line.points.push_back(noise > 0 ? Vec2(p + Vec2(n(random), n(random))) : p);
  }
  return line;
}

std::vector<StraightLine> linesAround(const LensOnPixels& lens, double noise, unsigned seed = 1) {
  std::mt19937 random(seed);
  std::vector<StraightLine> out;
  const std::pair<Vec2, Vec2> ends[] = {{{20, 30}, {1260, 45}},    {{30, 130}, {1250, 120}}, {{30, 600}, {1250, 640}},
                                        {{20, 690}, {1260, 700}},  {{40, 20}, {25, 700}},    {{200, 20}, {190, 700}},
                                        {{1100, 30}, {1090, 690}}, {{1250, 20}, {1240, 700}}};
  for (const auto& [a, b] : ends) out.push_back(bentLine("l" + std::to_string(out.size()), lens, a, b, random, noise));
  return out;
}

/// How far two lenses differ at the most, as places on the plate of the same straight pixel.
double apart(const LensOnPixels& a, const LensOnPixels& b) {
  double worst = 0;
  for (int y = 0; y <= kHeight; y += 40)
    for (int x = 0; x <= kWidth; x += 40) {
      Vec2 s, p;
      if (a.straightFromPlate(Vec2(x, y), s) && b.plateFromStraight(s, p))
        worst = std::max(worst, (p - Vec2(x, y)).norm());
    }
  return worst;
}

}  // namespace

TEST(Vertical, CleanLinesGiveTheLensBack) {
  const auto truth = lensOf(-0.1, 0.015);
  const auto answer = lens::solvePlumb(linesAround(truth, 0), lensOf(0, 0), kWidth, kHeight, {true, true, false});
  EXPECT_NEAR(answer.lens.lens.k1, -0.1, 1e-6);
  EXPECT_NEAR(answer.lens.lens.k2, 0.015, 1e-5);
  EXPECT_LT(answer.rmsPx, 1e-4);
  for (size_t i = 0; i < answer.after.size(); ++i) {
    EXPECT_GT(answer.before[i].px, 1) << i;
    EXPECT_LT(answer.after[i].px, 1e-3) << i;
  }
  EXPECT_TRUE(answer.disagreeing.empty());
  EXPECT_TRUE(answer.remarks.empty());
}

TEST(Vertical, TheCentreIsFoundWhenAskedFor) {
  const auto truth = lensOf(-0.15, 0, 655, 348);
  const auto answer =
      lens::solvePlumb(linesAround(truth, 0), lensOf(0, 0, 640, 360), kWidth, kHeight, {true, false, true});
  EXPECT_NEAR(answer.lens.cx, 655, 0.05);
  EXPECT_NEAR(answer.lens.cy, 348, 0.05);
  EXPECT_NEAR(answer.lens.lens.k1, -0.15, 1e-4);
}

TEST(Vertical, TheErrorsSaidAreTheErrorsMade) {
  const auto truth = lensOf(-0.1, 0.015);
  double sum = 0, said = 0;
  std::vector<double> off;
  constexpr int kTrials = 24;
  for (unsigned seed = 1; seed <= kTrials; ++seed) {
    const auto a = lens::solvePlumb(linesAround(truth, 0.3, seed), lensOf(0, 0), kWidth, kHeight, {true, true, false});
    off.push_back(apart(truth, a.lens));
    // Worst over the frame against the standard error at one corner: four of them are hardly ever exceeded.
    EXPECT_LT(off.back(), 4 * a.cornerSigmaPx) << seed;
    EXPECT_NEAR(a.rmsPx, 0.3, 0.08);
    sum += std::pow(a.lens.lens.k1 + 0.1, 2), said += std::pow(a.k1Sigma, 2);
  }
  std::nth_element(off.begin(), off.begin() + kTrials / 2, off.end());
  EXPECT_LT(off[kTrials / 2], 0.6);
  // Twenty-four trials tell a spread to about 15%.
  EXPECT_NEAR(std::sqrt(sum / said), 1, 0.45);
}

TEST(Vertical, ALineThatIsNotStraightIsNamedAndBendsNothing) {
  const auto truth = lensOf(-0.1, 0);
  auto lines = linesAround(truth, 0.1);
  for (size_t i = 0; i < lines[2].points.size(); ++i)
    lines[2].points[i].y() +=
        6 * std::sin(M_PI * static_cast<double>(i) / static_cast<double>(lines[2].points.size() - 1));
  const auto answer = lens::solvePlumb(lines, lensOf(0, 0), kWidth, kHeight, {true, false, false});
  EXPECT_EQ(answer.disagreeing, std::vector<std::string>{"l2"});
  EXPECT_LT(apart(truth, answer.lens), 1.2);
  lines[2].on = false;
  const auto without = lens::solvePlumb(lines, lensOf(0, 0), kWidth, kHeight, {true, false, false});
  EXPECT_LT(apart(truth, without.lens), 0.3);
  EXPECT_GT(without.after[2].px, 2) << "a line that is left out is still judged";
}

TEST(Vertical, WhatIsMissingIsSaid) {
  std::mt19937 random(3);
  const auto truth = lensOf(-0.1, 0);
  std::vector<StraightLine> middle;
  for (int i = 0; i < 4; ++i)
    middle.push_back(
        bentLine("v" + std::to_string(i), truth, {600.0 + 25 * i, 200}, {602.0 + 25 * i, 520}, random, 0.3));
  const auto answer = lens::solvePlumb(middle, lensOf(0, 0), kWidth, kHeight, {true, true, false});
  ASSERT_FALSE(answer.remarks.empty());
  EXPECT_EQ(answer.remarks[0], "all lines are vertical and near the centre: draw one along the top edge");
  EXPECT_GT(answer.cornerSigmaPx, 3);
  EXPECT_THROW(lens::solvePlumb({}, lensOf(0, 0), kWidth, kHeight, {}), Error);
  StraightLine two;
  two.points = {Vec2(0, 0), Vec2(100, 0)};
  EXPECT_THROW(lens::solvePlumb({two}, lensOf(0, 0), kWidth, kHeight, {}), Error);
  two.points = {Vec2(5, 5), Vec2(6, 5), Vec2(7, 5)};
  EXPECT_THROW(lens::solvePlumb({two}, lensOf(0, 0), kWidth, kHeight, {}), Error);
  two.points = {Vec2(5, 5), Vec2(300, 5), Vec2(700, 5)};
  EXPECT_THROW(lens::solvePlumb({two}, lensOf(0, 0), kWidth, kHeight, {false, false, false}), Error);
  EXPECT_THROW(lens::solvePlumb({two}, lensOf(0, 0), kWidth, kHeight, {true, true, true}), Error)
      << "one point too few";
}

// Two hundred sets of lines as they come: few or many, short or long, near or far from the edges, with clean or shaky
// points. What is said to be known is known; what cannot be told is refused, or its error says so.
TEST(Vertical, NoAnswerIsSurerThanItIs) {
  std::mt19937 random(11);
  const auto between = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
  int refused = 0, wrong = 0, answered = 0;
  std::vector<double> overBound;
  const int kSets = test::some(100, 200, 20);
  for (int set = 0; set < kSets; ++set) {
    const double noise = between(0.1, 1), k1 = between(-0.25, 0.1);
    const auto truth =
        lensOf(k1, 0, kWidth / 2.0 + between(-0.01, 0.01) * kWidth, kHeight / 2.0 + between(-0.01, 0.01) * kHeight);
    std::vector<StraightLine> lines;
    const int count = static_cast<int>(between(5, 41));
    while (static_cast<int>(lines.size()) < count) {
      const Vec2 a(between(10, kWidth - 10), between(10, kHeight - 10)),
          b(between(10, kWidth - 10), between(10, kHeight - 10));
      if ((b - a).norm() < 0.25 * kWidth) continue;
      Vec2 from, to;  // its ends lie on the plate, whatever the lens
      ASSERT_TRUE(truth.straightFromPlate(a, from) && truth.straightFromPlate(b, to));
      lines.push_back(bentLine("l" + std::to_string(lines.size()), truth, from, to, random, noise,
                               static_cast<int>(between(5, 20))));
      lines.back().frame = 1001 + static_cast<int>(between(0, 5));
    }
    lens::StraightLinesAnswer a;
    try {
      a = lens::solvePlumb(lines, lensOf(0, 0, kWidth / 2.0, kHeight / 2.0), kWidth, kHeight, {true, true, true});
    } catch (const Error&) {
      ++refused;
      continue;
    }
    ++answered;
    // Corners, with the optical centre's shift taken off: moving the whole picture changes nothing that is straight.
    double off = 0;
    for (const Vec2& c : {Vec2(0, 0), Vec2(kWidth, 0), Vec2(0, kHeight), Vec2(kWidth, kHeight)}) {
      Vec2 p, q;
      if (a.lens.straightFromPlate(c, p) && truth.straightFromPlate(c, q)) off = std::max(off, (p - q).norm());
    }
    const bool far = off > 4 * a.cornerSigmaPx || std::abs(a.lens.cx - truth.cx) > 4 * a.centreSigma.x() ||
                     std::abs(a.lens.cy - truth.cy) > 4 * a.centreSigma.y() ||
                     std::abs(a.lens.lens.k1 - k1) > 4 * a.k1Sigma;
    wrong += far ? 1 : 0;
    overBound.push_back(off / a.cornerSigmaPx);
    EXPECT_LT(std::hypot(a.lens.cx - kWidth / 2.0, a.lens.cy - kHeight / 2.0), 0.15 * kWidth);
  }
  std::nth_element(overBound.begin(), overBound.begin() + answered / 2, overBound.end());
  std::printf(
      "%d sets: %d answered, %d refused, %d beyond 4 of their own standard errors; worst corner %.2f of its error "
      "in the median\n",
      kSets, answered, refused, wrong, overBound[static_cast<size_t>(answered / 2)]);
  EXPECT_LE(wrong, answered / 100);
  EXPECT_GE(answered, kSets * 95 / 100);
  EXPECT_LT(overBound[static_cast<size_t>(answered / 2)], 1.3);
}
