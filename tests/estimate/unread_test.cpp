// Frames that are gone or damaged while something is followed.
#include <gtest/gtest.h>

#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/shot/trackers.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

namespace {

/// Of nine frames one is gone and one is cut short.
shot::Shot holed(const test::Folder& folder) {
  shot::Shot s = test::walkAlongWall(folder, 9);
  fs::remove(s.plate().fileOf(1003));
  const auto cut = s.plate().fileOf(1006);
  fs::resize_file(cut, fs::file_size(cut) / 2);
  return s;
}

}  // namespace

TEST(Unread, AreLeftOutAndSaidAndWhatIsFollowedGoesOn) {
  const test::Folder folder;
  shot::Shot s = holed(folder);
  s.tracking.follow.least = 4;
  comp::RenderCache cache(test::kBudget);
  estimate::Unread unread;
  const auto tracks = estimate::followShot(s, cache, {}, &unread);
  ASSERT_EQ(unread.size(), 2U);
  EXPECT_NE(unread.at(1003).find("not there"), std::string::npos) << unread.at(1003);
  EXPECT_NE(unread.at(1006).find("cut short"), std::string::npos) << unread.at(1006);
  EXPECT_EQ(estimate::toWords(unread).rfind("Frames 1003, 1006 were left out, the first because: frame 1003", 0), 0U)
      << estimate::toWords(unread);
  EXPECT_EQ(estimate::toWords({}), "");
  int across = 0;
  for (const auto& t : tracks) {
    EXPECT_FALSE(t.has(1003) || t.has(1006));
    across += t.has(1002) && t.has(1004) && t.has(1007) ? 1 : 0;
  }
  EXPECT_GT(across, 20);
}

TEST(Unread, TrackersAndRegionsGoOnBehindThem) {
  const test::Folder folder;
  const shot::Shot whole = test::walkAlongWall(folder, 9);
  comp::RenderCache cache(test::kBudget);
  const auto placed = [](const shot::Shot& from) {
    shot::Shot s = from;
    edit::addTracker(s, 1001, Vec2(160, 90), "corner");
    edit::addRegion(s, 1001, {Vec2(90, 50), Vec2(230, 50), Vec2(230, 130), Vec2(90, 130)}, "board");
    return s;
  };
  const std::vector<estimate::Way> ways{{1001, 1009}};
  const shot::Shot before = placed(whole);
  const int id = before.tracks->front().id, region = before.regions.front().id;
  const auto all = estimate::followTracker(before, id, ways, cache);
  const auto allOf = estimate::followRegionOf(before, region, ways, cache);
  ASSERT_TRUE(all.has(1009) && allOf.has(1009));

  const test::Folder other;
  const shot::Shot s = placed(holed(other));
  estimate::Unread unread;
  const auto t = estimate::followTracker(s, id, ways, cache, {}, &unread);
  EXPECT_EQ(unread.size(), 2U);
  EXPECT_FALSE(t.has(1003) || t.has(1006));
  const auto r = estimate::followRegionOf(s, region, ways, cache, {}, &unread);
  EXPECT_FALSE(r.has(1003) || r.has(1006));
  for (const int f : {1002, 1004, 1005, 1007, 1009}) {
    ASSERT_TRUE(t.has(f) && r.has(f)) << f;
    EXPECT_LT((t.where(f) - all.where(f)).norm(), 0.1) << f;
    EXPECT_LT((r.motion.at(f) - allOf.motion.at(f)).topRightCorner(2, 1).norm(), 0.3) << f;
  }
}

TEST(Unread, WhereNothingCanBeReadThatIsSaid) {
  const test::Folder folder;
  shot::Shot s = test::walkAlongWall(folder, 3);
  edit::addTracker(s, 1001, Vec2(160, 90), "corner");
  const int id = s.tracks->front().id;
  for (int f = 1001; f <= 1003; ++f) fs::remove(s.plate().fileOf(f));
  comp::RenderCache cache(test::kBudget);
  EXPECT_NE(test::errorOf([&] { estimate::followShot(s, cache); }).find("not there"), std::string::npos);
  EXPECT_NE(test::errorOf([&] {
              estimate::followTracker(s, id, {{1001, 1003}}, cache);
            }).find("not there"),
            std::string::npos);
}
