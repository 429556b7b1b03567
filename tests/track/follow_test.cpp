#include "core/track/follow.h"

#include <gtest/gtest.h>

#include <cmath>
#include <ctime>
#include <random>

#include "core/base/error.h"
#include "core/track/pattern.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

constexpr int kFollowW = 320, kFollowH = 200;

/// The wall's texture in a frame that is moved, turned and scaled; with grain.
image::Picture frame(const Vec2& shift, double turn = 0, double scale = 1, double grain = 0, unsigned seed = 1,
                     double gain = 1) {
  image::Picture p(kFollowW, kFollowH, 1);
  std::mt19937 random(seed);
  std::normal_distribution<float> noise(0, 1);
  const double c = std::cos(turn) / scale, s = std::sin(turn) / scale;
  for (int y = 0; y < kFollowH; ++y)
    for (int x = 0; x < kFollowW; ++x) {
      const double u = x + 0.5 - kFollowW / 2.0 - shift.x(), v = y + 0.5 - kFollowH / 2.0 - shift.y();
      *p.pixel(x, y) = static_cast<float>(gain * test::texture(0.012 * (c * u + s * v), 0.012 * (-s * u + c * v)) +
                                          grain * noise(random));
    }
  return p;
}

image::Grey grey(const image::Picture& p) { return {p.values.data(), p.data.width(), p.data.height()}; }

}  // namespace

TEST(Pattern, FindsAFractionOfAPixelWithoutFavouringAny) {
  const auto first = frame({0, 0}, 0, 1, 0.01, 7);
  std::vector<double> all;
  double byPhase[10] = {}, bias = 0;
  int n = 0;
  for (int k = 0; k < 10; ++k) {
    const Vec2 shift(0.1 * k, 0.1 * ((k * 3) % 10));
    const auto second = frame(shift, 0, 1, 0.01, 100U + static_cast<unsigned>(k), 1.15);
    for (int j = 0; j < 5; ++j)
      for (int i = 0; i < 8; ++i) {
        const Vec2 at(30.3 + i * 36, 30.7 + j * 34);
        const track::Pattern p(grey(first), at, 10);
        if (!p.holds()) continue;
        track::Pattern::Pose pose;
        pose.at = at + shift + Vec2(0.6, -0.5);
        const auto a = p.find(grey(second), pose);
        if (!a.found || a.correlation < 0.8) continue;
        const Vec2 off = pose.at - at - shift;
        all.push_back(off.norm());
        byPhase[k] += off.x() / 40, bias += off.x();
        ++n;
      }
  }
  ASSERT_GT(n, 300);
  std::nth_element(all.begin(), all.begin() + n / 2, all.end());
  std::printf("%d patterns: median %.4f px, mean across %.4f px; by fraction:", n, all[static_cast<size_t>(n) / 2],
              bias / n);
  for (const double b : byPhase) {
    std::printf(" %+.3f", b);
    EXPECT_LT(std::abs(b), 0.02);
  }
  std::printf("\n");
  EXPECT_LE(all[static_cast<size_t>(n) / 2], 0.05);
}

TEST(Pattern, TurnAndScaleAreFollowed) {
  const auto first = frame({0, 0}), second = frame({3.3, -1.2}, 0.06, 1.05, 0, 1, 0.8);
  int found = 0;
  for (int i = 0; i < 6; ++i) {
    const Vec2 at(80.5 + 30 * i, 100.5), c(kFollowW / 2.0, kFollowH / 2.0);
    const track::Pattern p(grey(first), at, 10);
    const Vec2 d = at - c;
    const Vec2 truth =
        c + Vec2(3.3, -1.2) +
        1.05 * Vec2(std::cos(0.06) * d.x() - std::sin(0.06) * d.y(), std::sin(0.06) * d.x() + std::cos(0.06) * d.y());
    track::Pattern::Pose pose;
    pose.at = truth + Vec2(0.8, 0.7);
    if (!p.find(grey(second), pose).found) continue;
    ++found;
    EXPECT_NEAR((pose.at - truth).norm(), 0, 0.06);
  }
  EXPECT_GE(found, 5);
}

TEST(Features, AreSpreadEvenlyAndKeepTheirDistance) {
  track::TrackSettings q;
  q.count = 60, q.spacing = 14, q.strength = 1;
  const auto f = frame({0, 0}, 0, 1, 0.004);
  const auto found = track::featuresOf(f, q);
  EXPECT_GE(found.size(), 45U);
  for (size_t i = 0; i < found.size(); ++i)
    for (size_t k = 0; k < i; ++k) EXPECT_GE((found[i] - found[k]).norm(), 14);
  for (int part = 0; part < 4; ++part)
    EXPECT_GE(std::count_if(found.begin(), found.end(),
                            [&](const Vec2& p) {
                              return (p.x() > kFollowW / 2.0) == (part & 1) && (p.y() > kFollowH / 2.0) == (part > 1);
                            }),
              8);
  image::Picture allowed(kFollowW, kFollowH, 1);
  for (int y = 0; y < kFollowH; ++y)
    for (int x = 0; x < kFollowW / 2; ++x) *allowed.pixel(x, y) = 1;
  for (const Vec2& p : track::featuresOf(f, q, {}, &allowed)) EXPECT_LT(p.x(), kFollowW / 2.0);
}

TEST(Follow, GoesBothWaysWithoutDriftAndStopsAtTheMatte) {
  track::TrackSettings q;
  q.count = 80, q.spacing = 12, q.strength = 2, q.least = 5;
  const FrameRange range{1, 24};
  const auto shiftAt = [](int f) { return Vec2(2.3 * (f - 1), 0.7 * (f - 1)); };
  const auto frames = [&](int f) {
    return std::make_shared<const image::Picture>(frame(shiftAt(f), 0, 1, 0.01, static_cast<unsigned>(f)));
  };
  const auto tracks = track::follow(frames, range, q);
  ASSERT_GT(tracks.size(), 60U);
  std::vector<double> drift;
  int backwards = 0;
  for (const auto& t : tracks) {
    // Where it began does not matter: how far it wanders against the texture does.
    const Vec2 start = t.at.front() - shiftAt(t.first);
    for (int f = t.first; f <= t.last(); ++f) drift.push_back((t.where(f) - shiftAt(f) - start).norm());
    backwards += t.first < 24 && t.length() > 20;
  }
  std::sort(drift.begin(), drift.end());
  std::printf("drift over up to 24 frames: median %.3f px, 95%% under %.3f px\n", drift[drift.size() / 2],
              drift[drift.size() * 95 / 100]);
  EXPECT_LE(drift[drift.size() / 2], 0.15);
  EXPECT_LE(drift[drift.size() * 95 / 100], 0.6);
  EXPECT_GT(backwards, 10);
  image::Picture m(kFollowW, kFollowH, 1);
  for (int y = 0; y < kFollowH; ++y)
    for (int x = 0; x < 200; ++x) *m.pixel(x, y) = 1;
  const auto matte = std::make_shared<const image::Picture>(m);
  for (const auto& t : track::follow(frames, range, q, {}, [&](int) { return matte; }))
    for (const Vec2& p : t.at) EXPECT_LT(p.x(), 200.01);
}

TEST(Follow, WhatTheMattePassesOverIsTheSameTrackWhereItComesOut) {
  track::TrackSettings q;
  q.count = 80, q.spacing = 12, q.strength = 2, q.least = 5;
  const FrameRange range{1, 30};
  const auto shiftAt = [](int f) { return Vec2(0.8 * (f - 1), 0.3 * (f - 1)); };
  // A bar with a texture of its own comes in from the right and goes by; the matte is a little wider.
  const auto barAt = [](int f) { return 330 - 14 * (f - 1); };
  constexpr int kBar = 40;
  const auto frames = [&](int f) {
    auto p = frame(shiftAt(f), 0, 1, 0.005, static_cast<unsigned>(f));
    const auto other = frame({0.5 * f, 40}, 1, 0.5);
    for (int y = 0; y < kFollowH; ++y)
      for (int x = std::max(0, barAt(f)); x < std::min(kFollowW, barAt(f) + kBar); ++x)
        *p.pixel(x, y) = 1 - *other.pixel(x, y);
    return std::make_shared<const image::Picture>(std::move(p));
  };
  const auto matte = [&](int f) {
    image::Picture m(kFollowW, kFollowH, 1, 1.0f);
    for (int y = 0; y < kFollowH; ++y)
      for (int x = std::max(0, barAt(f) - 6); x < std::min(kFollowW, barAt(f) + kBar + 6); ++x) *m.pixel(x, y) = 0;
    return std::make_shared<const image::Picture>(std::move(m));
  };
  int passed = 0, ended = 0;
  std::vector<double> off;
  for (const auto& t : track::follow(frames, range, q, {}, matte)) {
    const Vec2 start = t.at.front() - shiftAt(t.first);
    const double x0 = t.where(t.first).x();
    bool gap = false, after = false;
    for (int f = t.first; f <= t.last(); ++f) {
      gap = gap || !t.has(f);
      if (!t.has(f)) continue;
      const int x = static_cast<int>(t.where(f).x());
      EXPECT_FALSE(x >= barAt(f) - 6 && x < barAt(f) + kBar + 6) << "under the matte";
      if (gap) after = true, off.push_back((t.where(f) - shiftAt(f) - start).norm());
    }
    // Those that began before the bar came, well inside.
    if (t.first > 3 || x0 < 60 || x0 > 280) continue;
    ++(after ? passed : ended);
  }
  std::sort(off.begin(), off.end());
  ASSERT_FALSE(off.empty());
  std::printf(
      "the matte passed over %d that are the same track after it, %d that are not; off by %.3f px (median), %.2f "
      "worst\n",
      passed, ended, off[off.size() / 2], off.back());
  EXPECT_GT(passed, 8 * ended);
  EXPECT_LE(off[off.size() / 2], 0.15);
  EXPECT_LE(off.back(), 1.0);
}

TEST(Follow, WithoutTextureItSaysSoAndStoppedItKeepsWhatItHas) {
  const auto flat = [](int) {
    return std::make_shared<const image::Picture>(image::Picture(kFollowW, kFollowH, 1, 0.4f));
  };
  EXPECT_NE(test::errorOf([&] { track::follow(flat, {1, 5}, {}); }).find("no texture"), std::string::npos);
  // Black frames in the middle end what goes through them; both sides are followed.
  const auto holed = [](int f) {
    return std::make_shared<const image::Picture>(f == 8 || f == 9
                                                      ? image::Picture(kFollowW, kFollowH, 1)
                                                      : frame({1.5 * f, 0}, 0, 1, 0.005, static_cast<unsigned>(f)));
  };
  track::TrackSettings q;
  q.count = 50, q.strength = 2, q.least = 3;
  const auto tracks = track::follow(holed, {1, 16}, q);
  EXPECT_GT(track::countOn(tracks, 4), 20);
  EXPECT_GT(track::countOn(tracks, 13), 20);
  EXPECT_EQ(track::countOn(tracks, 8), 0);
  Job job;
  int seen = 0;
  const auto stopping = [&](int f) {
    if (++seen == 6) job.stop();
    return holed(f);
  };
  const auto part = track::follow(stopping, {1, 7}, q, job);
  EXPECT_GT(track::countOn(part, 3), 20);
}

TEST(Follow, WhatIsWrongWithTheFramesIsSaid) {
  const auto moving = [](int f) {
    return std::make_shared<const image::Picture>(frame({2.0 * f, 1.0 * f}, 0, 1, 0.01, static_cast<unsigned>(f)));
  };
  track::TrackSettings q;
  q.count = 60, q.least = 3;
  EXPECT_NE(test::errorOf([&] { track::follow(moving, {3, 3}, q); }).find("one frame alone"), std::string::npos);
  const auto nowhere = [](int) { return std::make_shared<const image::Picture>(kFollowW, kFollowH, 1); };
  EXPECT_NE(test::errorOf([&] {
              track::follow(moving, {0, 5}, q, {}, nowhere);
            }).find("matte leaves nothing"),
            std::string::npos);
  // Two frames are few, and are followed.
  q.least = 2;
  EXPECT_GT(track::follow(moving, {0, 1}, q).size(), 20U);
  // Black in the middle: tracks end there and others begin.
  const auto gap = [&](int f) {
    return f == 4 || f == 5 ? std::make_shared<const image::Picture>(kFollowW, kFollowH, 1) : moving(f);
  };
  const auto tracks = track::follow(gap, {0, 9}, q);
  EXPECT_EQ(track::countOn(tracks, 4), 0);
  EXPECT_GT(track::countOn(tracks, 2), 20);
  EXPECT_GT(track::countOn(tracks, 8), 20);
  // A frame of another size: what was followed ends, and goes on after it.
  const auto odd = [&](int f) {
    return f == 4 ? std::make_shared<const image::Picture>(kFollowW / 2, kFollowH / 2, 1) : moving(f);
  };
  const auto around = track::follow(odd, {0, 9}, q);
  for (const auto& t : around) EXPECT_TRUE(t.last() <= 4 || t.first >= 4);
}

TEST(Follow, CostsTheSameHoweverLongTheRange) {
  // What the processors did for each of many frames, in turn: the last hundreds as the first.
  const int last = 600;
  track::TrackSettings q;
  q.count = 80, q.least = 3;
  std::vector<std::shared_ptr<const image::Picture>> loop;
  for (int k = 0; k < 40; ++k)
    loop.push_back(
        std::make_shared<const image::Picture>(frame({12 * std::sin(k * M_PI / 20), 6 * std::cos(k * M_PI / 20)})));
  double early = 0, late = 0;
  // Somebody else's work on the machine is not the range's: it is looked at again where it seems to be.
  for (int attempt = 0; attempt < 3; ++attempt) {
    std::vector<double> at;
    Job job;
    job.onProgress = [&](double, const std::string&) { at.push_back(1e3 * std::clock() / CLOCKS_PER_SEC); };
    const auto tracks = track::follow([&](int f) { return loop[static_cast<size_t>(f % 40)]; }, {0, last}, q, job);
    ASSERT_GT(at.size(), 600U);
    // The middle one of each hundred and fifty.
    const auto middle = [&](size_t from) {
      std::vector<double> each;
      for (size_t i = from; i < from + 150; ++i) each.push_back(at[i + 1] - at[i]);
      std::nth_element(each.begin(), each.begin() + 75, each.end());
      return each[75];
    };
    early = middle(50), late = middle(440);
    std::printf("%zu tracks over %d frames: %.2f ms a frame early, %.2f late\n", tracks.size(), last, early, late);
    if (late < 2 * early + 1) break;
  }
  EXPECT_LT(late, 2 * early + 1);
}

TEST(Follow, AGapInTheFramesIsTrackedAround) {
  const FrameRange range{1, 12};
  const auto shiftAt = [](int f) { return Vec2(1.7 * f, -0.9 * f); };
  const auto frames = [&](int f) -> std::shared_ptr<const image::Picture> {
    if (f == 5 || f == 6) return nullptr;
    return std::make_shared<const image::Picture>(frame(shiftAt(f), 0, 1, 0.005, static_cast<unsigned>(f)));
  };
  const auto tracks = track::follow(frames, range, {});
  int across = 0;
  double worst = 0;
  for (const auto& t : tracks) {
    EXPECT_FALSE(t.has(5) || t.has(6));
    if (!t.has(4) || !t.has(7)) continue;
    ++across;
    worst = std::max(worst, (t.where(7) - t.where(4) - (shiftAt(7) - shiftAt(4))).norm());
  }
  std::printf("%d of %zu tracks go on behind the gap, off by %.3f px at the most\n", across, tracks.size(), worst);
  EXPECT_GT(across, 20);
  EXPECT_LT(worst, 0.3);
}
