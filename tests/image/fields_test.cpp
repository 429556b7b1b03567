// Fields as frames, against the frames that ffmpeg wove them from (its filters `interlace` and `setfield`).
#include "core/image/fields.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/edit/new_shot.h"
#include "core/edit/set_word.h"
#include "core/image/pictures.h"
#include "core/image/plate.h"
#include "core/shot/shot.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

constexpr int kFields = 12;

void shell(const std::string& command) {
  std::string printed;
  ASSERT_EQ(0, test::runCommand(command, &printed)) << command << "\n" << printed;
}

/// A grey pattern of waves, eight pixels and longer, that moves by 3.3 and 1.7 pixels from each field's time to the
/// next, as `whole.####.png`; and its fields woven into half as many frames, `woven.####.png`.
void weave(const test::Folder& folder, bool upperFirst) {
  const std::string waves = "128+50*sin((X+3.3*N)/4)*cos((Y+1.7*N)/5)+40*sin((X-2*Y+6.7*N)/19)";
  shell(
      fmt::format("ffmpeg -v error -y -f lavfi -i nullsrc=size=160x96:rate=50,format=gray,geq='lum={}' -frames:v {} "
                  "-pix_fmt gray -start_number 1 {}",
                  waves, kFields, (folder / "whole.%04d.png").string()));
  shell(fmt::format(
      "ffmpeg -v error -y -framerate 50 -start_number 1 -i {} -vf interlace=scan={}:lowpass=off "
      "-pix_fmt gray -start_number 1 {}",
      (folder / "whole.%04d.png").string(), upperFirst ? "tff" : "bff", (folder / "woven.%04d.png").string()));
}

}  // namespace

TEST(Fields, EachIsAFrameOfItsOwnTime) {
  for (const bool upperFirst : {true, false}) {
    SCOPED_TRACE(upperFirst);
    const test::Folder folder;
    weave(folder, upperFirst);
    const auto whole = image::openPlate(folder / "whole.0001.png", 50);
    auto woven = image::openPlate(folder / "woven.0001.png", 25);
    ASSERT_EQ(woven.range.count(), kFields / 2);
    image::countFields(woven, upperFirst ? image::Fields::UpperFirst : image::Fields::LowerFirst);
    EXPECT_EQ(woven.range.count(), kFields);
    EXPECT_EQ(woven.fps, 50);
    // Half of the rows are theirs bit for bit; what is between is theirs within a code or two.
    double between = 0, crude = 0;
    int n = 0;
    for (int f = 1; f <= kFields; ++f) {
      const auto truth = image::readFrame(whole, f).picture, field = image::readFrame(woven, f).picture;
      const int own = (f % 2 == 1) == upperFirst ? 0 : 1;
      for (int y = 8; y < 88; ++y)
        for (int x = 0; x < 160; ++x) {
          const float is = truth.pixel(x, y)[1], got = field.pixel(x, y)[1];
          if (y % 2 == own) {
            ASSERT_EQ(is, got) << f << ": " << x << ", " << y;
          } else {
            between += std::pow(is - got, 2), ++n;
            crude += std::pow(is - truth.pixel(x, y - 1)[1], 2);
          }
        }
    }
    std::printf("rows between: %.5f RMS; the row above instead: %.5f\n", std::sqrt(between / n), std::sqrt(crude / n));
    // A code of 8 bits is 0.004 or less of light; a row that is only repeated misses by half a line.
    EXPECT_LT(std::sqrt(between / n), 0.004);
    EXPECT_GT(std::sqrt(crude / n), 5 * std::sqrt(between / n));
    // What is opened again is counted in fields as well.
    const auto again = image::reopened(woven);
    EXPECT_EQ(again.range, woven.range);
    EXPECT_EQ(again.fps, 50);
    // And back.
    image::countFields(woven, image::Fields::Whole);
    EXPECT_EQ(woven.range.count(), kFields / 2);
    EXPECT_EQ(woven.fps, 25);
  }
}

TEST(Fields, FramesThatAreMissingAreTwo) {
  image::Plate p;
  p.range = {1001, 1010}, p.missing = {1003, 1010};
  image::countFields(p, image::Fields::LowerFirst);
  EXPECT_EQ(p.range, (FrameRange{1001, 1020}));
  EXPECT_EQ(p.missing, (std::vector<int>{1005, 1006, 1019, 1020}));
  EXPECT_EQ(p.fileNumber(1005), 1003);
  EXPECT_EQ(p.fileNumber(1000), 1000);
  image::countFields(p, image::Fields::Whole);
  EXPECT_EQ(p.missing, (std::vector<int>{1003, 1010}));
}

TEST(Fields, AreOtherPicturesThanTheFramesThatWereShownBefore) {
  const test::Folder folder;
  weave(folder, true);
  auto s = edit::newShot({folder / "woven.0001.png", {}, {}, {}, 25});
  comp::RenderCache cache(test::kBudget);
  const auto whole = test::buildFrame(s, 1, cache);
  const uint64_t before = test::recipeKey(s, 1);
  edit::useFields(s, image::Fields::UpperFirst);
  EXPECT_NE(test::recipeKey(s, 1), before);
  EXPECT_NE(test::buildFrame(s, 1, cache).values, whole.values);
  EXPECT_EQ(test::buildFrame(s, 1, cache).values, image::readFrame(s.plate(), 1).picture.values);
}

TEST(Fields, AShotUsesThemBeforeAnythingCountsInFrames) {
  const test::Folder folder;
  const std::string file = (folder / "fields.mpg").string();
  shell(
      "ffmpeg -v error -y -f lavfi -i testsrc2=size=192x108:rate=50 -frames:v 20 -vf interlace,setfield=tff -flags "
      "+ilme+ildct -c:v mpeg2video -q:v 2 " +
      file);
  auto s = edit::newShot({file, {}, {}, {}, 0});
  const FrameRange frames = s.range;
  EXPECT_FALSE(shot::fieldsQuestion(s).empty());
  edit::setWord(s, "plate.fields", "upper first", 1);
  EXPECT_EQ(s.range.count(), 2 * frames.count());
  EXPECT_EQ(s.plate().fps, 50);
  EXPECT_TRUE(shot::fieldsQuestion(s).empty());
  EXPECT_NO_THROW(image::readFrame(s.plate(), s.range.last));
  // Kept with the shot.
  const auto read = shot::fromJson(shot::toJson(s, folder.path()), folder.path());
  EXPECT_EQ(read.plate().fields, image::Fields::UpperFirst);
  EXPECT_EQ(read.range, s.range);
  // Once something counts in frames they stay as they are.
  auto worked = s;
  worked.mattes.emplace_back();
  EXPECT_THROW(edit::setWord(worked, "plate.fields", "whole", 1), Error);
  EXPECT_EQ(worked.range, s.range);
  edit::setWord(s, "plate.fields", "whole", 1);
  EXPECT_EQ(s.range, frames);
}
