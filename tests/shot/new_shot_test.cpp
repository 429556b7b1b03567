// A shot that is begun from files, and what is said of a render that begins elsewhere.
#include <gtest/gtest.h>

#include "core/image/write.h"
#include "core/shot/shot.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

std::string sequenceIn(const std::filesystem::path& folder, const std::string& name, int first, int last) {
  std::filesystem::create_directories(folder);
  for (int f = first; f <= last; ++f)
    image::writePicture(folder / fmt::format("{}.{}.exr", name, f), image::Picture(16, 9, 4, 0.3f), {});
  return (folder / fmt::format("{}.{}.exr", name, first)).string();
}

TEST(NewShot, TakesThatAreCalledAlikeAreDeliveredApart) {
  const test::Folder folder;
  const auto a = shot::newShot({sequenceIn(folder / "takeA", "sh", 1001, 1002), {}, {}, {}, 0});
  const auto b = shot::newShot({sequenceIn(folder / "takeB", "sh", 1001, 1002), {}, {}, {}, 0});
  EXPECT_NE(a.delivery.pattern, b.delivery.pattern);
  EXPECT_NE(a.delivery.pattern.find("takeA"), std::string::npos);
}

TEST(NewShot, AShiftedRenderShowsWhereItHasFrames) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  element::Element e;
  e.id = "e1", e.name = "buoy";
  element::Render r;
  r.files = image::openPlate(sequenceIn(folder / "cg", "cg", 1001, 1005));
  r.shift = 3;
  e.source = r, e.place = element::throughCamera();
  s.elements = {e};
  EXPECT_FALSE(e.showsSomething(1003));
  EXPECT_TRUE(e.showsSomething(1004));
  const auto said = shot::problemsOf(s, false);
  ASSERT_TRUE(std::any_of(said.begin(), said.end(), [](const auto& p) {
    return !p.grave && p.text ==
                           "\"buoy\" shows on frames 1004 to 1008 only (its frames 1001 to 1005, 3 later); the "
                           "shot goes from 1001 to 1005";
  })) << (said.empty() ? "" : said.front().text);
  EXPECT_TRUE(std::none_of(said.begin(), said.end(), [](const auto& p) { return p.grave; }));
}

}  // namespace
}  // namespace zentil
