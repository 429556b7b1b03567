#include "core/track/manual_tracker.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "tests/support/synthetic.h"

using namespace zentil;
using track::ManualTracker;
using track::Track;

namespace {

constexpr int kHandW = 320, kHandH = 200;

/// A texture that moves by leaps, with a stretch of frames in which something grey stands before it.
struct Clip {
  Vec2 speed{9.3, 3.1};
  int hiddenFrom = 100, hiddenTo = 100;
  int last = 20;

  Vec2 moved(int f) const { return {speed.x() * std::sin(0.35 * f) * 3, speed.y() * f / 3}; }
  track::FrameSource source() const {
    return [this](int f) {
      auto p = std::make_shared<image::Picture>(kHandW, kHandH, 1);
      std::mt19937 random(static_cast<unsigned>(f));
      std::normal_distribution<float> noise(0, 0.01f);
      const Vec2 m = moved(f);
      for (int y = 0; y < kHandH; ++y)
        for (int x = 0; x < kHandW; ++x)
          *p->pixel(x, y) =
              f >= hiddenFrom && f <= hiddenTo
                  ? 0.4f + noise(random)
                  : static_cast<float>(test::texture(0.012 * (x - m.x()), 0.012 * (y - m.y()))) + noise(random);
      return std::shared_ptr<const image::Picture>(p);
    };
  }
  Track placed(const Vec2& at, int frame = 0) const {
    Track t;
    t.id = 1;
    return track::keyed(t, frame, at);
  }
};

double worst(const Track& t, const Clip& c, const Vec2& start, int from = 0) {
  double most = 0;
  for (int f = t.first; f <= t.last(); ++f)
    if (t.has(f)) most = std::max(most, (t.where(f) - start - c.moved(f) + c.moved(from)).norm());
  return most;
}

}  // namespace

TEST(ManualTracker, IsFollowedBothWaysThroughLeaps) {
  const Clip c;
  const Vec2 at(150.3, 90.7);
  auto t = c.placed(at, 8);
  t = track::followHand(c.source(), t, 8, 20);
  t = track::followHand(c.source(), t, 8, 0);
  EXPECT_EQ(t.first, 0);
  EXPECT_EQ(t.last(), 20);
  EXPECT_EQ(t.length(), 21);
  EXPECT_LT(worst(t, c, at, 8), 0.15);
}

TEST(ManualTracker, GoesOnBehindWhatHidesItAndKnowsWhereItWasLost) {
  Clip c;
  c.speed = Vec2(2, 1), c.hiddenFrom = 6, c.hiddenTo = 9;
  const Vec2 at(150.3, 90.7);
  const auto t = track::followHand(c.source(), c.placed(at), 0, 20);
  for (int f = 6; f <= 9; ++f) EXPECT_FALSE(t.has(f)) << f;
  EXPECT_EQ(t.length(), 17);
  EXPECT_LT(worst(t, c, at), 0.15);
}

TEST(ManualTracker, WhatIsNotKnownWellIsNotKept) {
  // Boards: across them its place is held, along them nearly only by grain.
  const track::FrameSource boards = [](int f) {
    auto p = std::make_shared<image::Picture>(kHandW, kHandH, 1);
    std::mt19937 random(static_cast<unsigned>(f));
    std::normal_distribution<float> noise(0, 0.02f);
    for (int y = 0; y < kHandH; ++y)
      for (int x = 0; x < kHandW; ++x)
        *p->pixel(x, y) = 0.5f + 0.2f * static_cast<float>(std::sin(0.5 * y)) +
                          0.04f * static_cast<float>(std::sin(0.31 * x + 0.2 * std::sin(0.05 * y))) + noise(random);
    return std::shared_ptr<const image::Picture>(p);
  };
  Track t = track::keyed({}, 0, {150, 90});
  const auto within = [&](double px) {
    auto hand = std::make_shared<ManualTracker>(*t.hand);
    hand->within = px;
    t.hand = hand;
    return track::followHand(boards, t, 0, 12);
  };
  const auto careful = within(0.1);
  EXPECT_EQ(careful.length() + careful.hand->weak.size(), 13U);
  EXPECT_GE(careful.hand->weak.size(), 10U);
  EXPECT_TRUE(careful.has(0)) << "its key";
  const auto kept = within(0);
  EXPECT_EQ(kept.length(), 13);
  EXPECT_TRUE(kept.hand->weak.empty());
  // How it is followed is the same, whatever is kept.
  const auto loose = within(5);
  EXPECT_EQ(loose.at, kept.at);
  // Put right by hand, or blanked, it is weak there no more.
  const int weak = *careful.hand->weak.begin();
  EXPECT_EQ(track::keyed(careful, weak, {150, 90}).hand->weak.count(weak), 0U);
  EXPECT_EQ(track::blanked(careful, {weak, weak}).hand->weak.count(weak), 0U);
  // The same texture without grain is known.
  const Clip clear;
  EXPECT_TRUE(track::followHand(clear.source(), clear.placed({150.3, 90.7}), 0, 12).hand->weak.empty());
}

TEST(ManualTracker, ComesOutWhereItIsExpected) {
  // Hidden while all moves far on: nothing about it is seen either.
  Clip c;
  c.speed = Vec2(0, 12), c.hiddenFrom = 6, c.hiddenTo = 9;
  const Vec2 at(150.3, 60.7);
  EXPECT_FALSE(track::followHand(c.source(), c.placed(at), 0, 14).has(12));
  const auto t = track::followHand(c.source(), c.placed(at), 0, 14, {}, [&](const Track&, int f) {
    return std::optional<Vec2>(at + c.moved(f) + Vec2(1, -1));
  });
  for (int f = 10; f <= 14; ++f) EXPECT_TRUE(t.has(f)) << f;
  EXPECT_LT(worst(t, c, at), 0.15);
  // Where it is expected wrongly nothing is found, rather than something else.
  const auto astray = track::followHand(c.source(), c.placed(at), 0, 14, {}, [&](const Track&, int f) {
    return std::optional<Vec2>(at + c.moved(f) + Vec2(40, 0));
  });
  EXPECT_FALSE(astray.has(12));
}

TEST(ManualTracker, OffscreenItIsLostForGood) {
  Clip c;
  c.speed = Vec2(0, -30);
  const auto t = track::followHand(c.source(), c.placed({150, 60}), 0, 20);
  EXPECT_GE(t.length(), 5);
  EXPECT_LE(t.length(), 7);
  EXPECT_FALSE(t.has(15));
}

TEST(ManualTracker, AKeyBendsTheWayEvenlyAndIsMetExactly) {
  const Clip c;
  const Vec2 at(150.3, 90.7);
  const auto t = track::followHand(c.source(), c.placed(at), 0, 10);
  // Moved by hand on frame 10, what lies between goes with it by halves and quarters.
  const auto k = track::keyed(t, 10, t.where(10) + Vec2(4, 0));
  EXPECT_NEAR((k.where(5) - t.where(5) - Vec2(2, 0)).norm(), 0, 1e-9);
  EXPECT_EQ(k.where(0), at);
  EXPECT_EQ(k.hand->keys.size(), 2U);
  // Followed again, it meets the key and goes on from there with the pattern it has there.
  const auto again = track::followHand(c.source(), k, 0, 20);
  EXPECT_EQ(again.where(10), k.where(10));
  EXPECT_NEAR((again.where(20) - again.where(10) - c.moved(20) + c.moved(10)).norm(), 0, 0.15);
  EXPECT_NEAR((again.where(5) - at - c.moved(5) + c.moved(0) - Vec2(2, 0)).norm(), 0, 0.15);
  const auto less = track::unkeyed(again, 10);
  EXPECT_EQ(less.hand->keys.size(), 1U);
  EXPECT_EQ(track::unkeyed(less, 0).hand->keys.size(), 1U);
}

TEST(ManualTracker, FromBesideItsOnlyKeyBackOverIt) {
  const Clip c;
  const Vec2 at(150.3, 90.7);
  auto t = track::followHand(c.source(), c.placed(at, 8), 8, 9);
  t = track::followHand(c.source(), t, 9, 20);
  t = track::followHand(c.source(), t, 9, 0);
  EXPECT_EQ(t.length(), 21);
  EXPECT_EQ(t.where(8), at);
  EXPECT_LT(worst(t, c, at, 8), 0.15);
}

TEST(ManualTracker, WhatCannotBeFollowedIsSaid) {
  const Clip c;
  Track bare;
  EXPECT_NE(test::errorOf([&] { track::followHand(c.source(), bare, 0, 5); }).find("without a key"), std::string::npos);
  const auto t = c.placed({100, 100});
  EXPECT_NE(test::errorOf([&] { track::followHand(c.source(), t, 7, 9); }).find("no place on frame 7"),
            std::string::npos);
  Clip flat;
  flat.hiddenFrom = 0;
  EXPECT_NE(test::errorOf([&] {
              track::followHand(
                  [](int) {
                    auto p = std::make_shared<image::Picture>(kHandW, kHandH, 1);
                    std::fill(p->values.begin(), p->values.end(), 0.5f);
                    return std::shared_ptr<const image::Picture>(p);
                  },
                  t, 0, 5);
            }).find("no texture"),
            std::string::npos);
  Job stopped;
  stopped.stop();
  EXPECT_EQ(track::followHand(c.source(), t, 0, 5, stopped), t);
}

TEST(ManualTracker, AJumpMovesWhatComesAfterAndAFrameAloneMovesNothing) {
  const Clip c;
  const Vec2 at(150.3, 90.7), by(4, -2);
  const auto t = track::followHand(c.source(), c.placed(at), 0, 20);
  const auto jump = track::keyed(t, 10, t.where(10) + by, track::Correction::FromHere);
  for (int f = 0; f < 10; ++f) EXPECT_EQ(jump.where(f), t.where(f)) << f;
  for (int f = 10; f <= 20; ++f) EXPECT_LT((jump.where(f) - t.where(f) - by).norm(), 1e-12) << f;
  // A key after it holds what comes after that.
  const auto held = track::keyed(track::keyed(t, 15, t.where(15)), 10, t.where(10) + by, track::Correction::FromHere);
  EXPECT_LT((held.where(14) - t.where(14) - by).norm(), 1e-12);
  EXPECT_EQ(held.where(15), t.where(15));
  // Followed again, what was before the jump is not bent towards it.
  const auto again = track::followHand(c.source(), jump, 0, 20);
  EXPECT_EQ(again.where(10), jump.where(10));
  EXPECT_LT((again.where(9) - t.where(9)).norm(), 0.2);
  const auto drift = track::followHand(c.source(), track::keyed(t, 10, t.where(10) + by), 0, 20);
  EXPECT_GT((drift.where(9) - t.where(9)).norm(), 2) << "a drift is";
  // One frame alone: nothing else moves, no key comes, and it holds when it is followed again.
  const auto one = track::keyed(t, 10, t.where(10) + by, track::Correction::Here);
  EXPECT_EQ(one.hand->keys.size(), 1U);
  for (int f = 0; f <= 20; ++f) EXPECT_EQ(one.where(f), f == 10 ? Vec2(t.where(10) + by) : t.where(f)) << f;
  const auto oneAgain = track::followHand(c.source(), one, 0, 20);
  EXPECT_EQ(oneAgain.where(10), one.where(10));
  EXPECT_LT((oneAgain.where(11) - t.where(11)).norm(), 0.2);
}
TEST(ManualTracker, ABlankedStretchStaysBlankAndIsFollowedThrough) {
  Clip c;
  c.speed = Vec2(2, 1);
  const Vec2 at(150.3, 90.7);
  const auto t = track::followHand(c.source(), c.placed(at), 0, 20);
  auto blank = track::blanked(t, {6, 9});
  for (int f = 0; f <= 20; ++f) EXPECT_EQ(blank.has(f), f < 6 || f > 9) << f;
  blank = track::followHand(c.source(), blank, 0, 20);
  for (int f = 0; f <= 20; ++f) EXPECT_EQ(blank.has(f), f < 6 || f > 9) << f;
  EXPECT_LT(worst(blank, c, at), 0.15) << "found again behind it";
  // A part of it is looked at again.
  const auto part = track::followHand(c.source(), track::shownAgain(blank, {8, 9}), 0, 20);
  for (int f = 0; f <= 20; ++f) EXPECT_EQ(part.has(f), f < 6 || f > 7) << f;
  // The only key stays, whatever is blanked.
  EXPECT_TRUE(track::blanked(t, {0, 20}).has(0));
}
