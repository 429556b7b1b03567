#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <limits>

#include "core/base/files.h"
#include "core/image/plate.h"
#include "core/image/rows.h"
#include "core/image/write.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using image::openPlate;
using test::errorOf;
namespace fs = std::filesystem;

namespace {

image::Picture grey(int w, int h, float v) {
  image::Picture p(w, h, 4, v);
  for (size_t i = 3; i < p.values.size(); i += 4) p.values[i] = 1;
  return p;
}

void sequence(const test::Folder& folder, const std::vector<std::string>& names, int w = 16, int h = 8) {
  for (const auto& n : names) image::writePicture(folder / n, grey(w, h, 0.25f), {});
}

bool says(const std::string& text, std::initializer_list<const char*> parts) {
  for (const char* p : parts)
    if (text.find(p) == std::string::npos) return false;
  return true;
}

}  // namespace

TEST(Plate, AnyFrameOpensTheWholeSequence) {
  const test::Folder folder;
  sequence(folder, {"a.0998.exr", "a.0999.exr", "a.1000.exr", "b.0001.exr"});
  const auto p = openPlate(folder / "a.0999.exr");
  EXPECT_EQ(p.range, (FrameRange{998, 1000}));
  EXPECT_EQ(p.width, 16);
  EXPECT_EQ(p.fileOf(998), (folder / "a.0998.exr").string());
}
TEST(Plate, NumbersWithoutPaddingAreFound) {
  const test::Folder folder;
  sequence(folder, {"a8.png", "a9.png", "a10.png", "a11.png"});
  const auto p = openPlate(folder / "a9.png");
  EXPECT_EQ(p.range, (FrameRange{8, 11}));
  EXPECT_EQ(p.fileOf(10), (folder / "a10.png").string());
  EXPECT_EQ(p.colourSpace, "srgb");
}
TEST(Plate, MissingFramesAreKnown) {
  const test::Folder folder;
  sequence(folder, {"a.01.exr", "a.02.exr", "a.05.exr"});
  const auto p = openPlate(folder / "a.##.exr");
  EXPECT_EQ(p.missing, (std::vector{3, 4}));
  EXPECT_TRUE(says(errorOf([&] { image::readFrame(p, 3); }), {"frame 3", "a.03.exr", "Restore it"}));
}
TEST(Plate, ATruncatedFrameIsNamedWithItsFileAndRemedy) {
  const test::Folder folder;
  sequence(folder, {"a.1.exr", "a.2.exr"}, 256, 256);
  fs::resize_file(folder / "a.2.exr", fs::file_size(folder / "a.2.exr") / 2);
  const auto p = openPlate(folder / "a.1.exr");
  EXPECT_TRUE(says(errorOf([&] { image::readFrame(p, 2); }), {"frame 2", "a.2.exr", "again"}));
  EXPECT_NO_THROW(image::readFrame(p, 1));
}
TEST(Plate, AnEmptyFileIsSaidToBeEmpty) {
  const test::Folder folder;
  sequence(folder, {"a.1.exr", "a.2.exr"});
  std::ofstream(folder / "a.2.exr", std::ios::trunc).flush();
  EXPECT_TRUE(
      says(errorOf([&] { image::readFrame(openPlate(folder / "a.1.exr"), 2); }), {"frame 2", "a.2.exr", "0 bytes"}));
}
TEST(Plate, ABrokenFirstFrameDoesNotHideTheOthers) {
  const test::Folder folder;
  sequence(folder, {"a.1.exr", "a.2.exr"});
  std::ofstream(folder / "a.1.exr", std::ios::trunc).flush();
  EXPECT_EQ(openPlate(folder / "a.2.exr").width, 16);
}
TEST(Plate, AFrameOfAnotherSizeIsNamedWithBothSizes) {
  const test::Folder folder;
  sequence(folder, {"a.1.exr", "a.2.exr"});
  image::writePicture(folder / "a.2.exr", grey(20, 10, 0.1f), {});
  EXPECT_TRUE(
      says(errorOf([&] { image::readFrame(openPlate(folder / "a.1.exr"), 2); }), {"frame 2", "20 x 10", "16 x 8"}));
}
TEST(Plate, NotANumberPixelsAreCountedKeptAndMendedForReading) {
  const test::Folder folder;
  auto p = grey(8, 8, 0.5f);
  p.pixel(3, 3)[0] = std::numeric_limits<float>::quiet_NaN();
  p.pixel(4, 4)[1] = std::numeric_limits<float>::infinity();
  image::writePicture(folder / "a.1.exr", p, {});
  const auto f = image::readFrame(openPlate(folder / "a.1.exr"), 1);
  EXPECT_EQ(f.notNumbers, 2u);
  EXPECT_TRUE(std::isnan(f.picture.pixel(3, 3)[0]));
  EXPECT_EQ(f.forReading().pixel(3, 3)[0], 0.0f);
  EXPECT_EQ(f.forReading().pixel(5, 5)[0], 0.5f);
}
TEST(Plate, AFolderOrANameWithoutANumberIsRefused) {
  const test::Folder folder;
  sequence(folder, {"still.exr"});
  EXPECT_TRUE(says(errorOf([&] { openPlate(folder / "still.exr"); }), {"frame number"}));
  EXPECT_TRUE(says(errorOf([&] { openPlate(folder.path()); }), {"folder"}));
  EXPECT_TRUE(says(errorOf([&] { openPlate(folder / "none.1.exr"); }), {"no such file"}));
}
TEST(Plate, MultiPartAndDataWindowAreRead) {
  const test::Folder folder;
  // A depth part first, then colour with a data window that is smaller than the frame.
  OIIO::ImageSpec depth(10, 6, 1, OIIO::TypeDesc::FLOAT), colour(4, 3, 4, OIIO::TypeDesc::HALF);
  depth.channelnames = {"Z"};
  depth.attribute("oiio:subimagename", "depth"), colour.attribute("oiio:subimagename", "colour");
  colour.x = 2, colour.y = 1, colour.full_x = colour.full_y = 0, colour.full_width = 10, colour.full_height = 6;
  colour.channelnames = {"R", "G", "B", "A"};
  const std::string file = (folder / "a.1.exr").string();
  auto out = OIIO::ImageOutput::create(file);
  const OIIO::ImageSpec parts[2] = {depth, colour};
  ASSERT_TRUE(out->open(file, 2, parts));
  std::vector<float> z(60, 5.0f), c(48, 0.25f);
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, z.data()));
  ASSERT_TRUE(out->open(file, colour, OIIO::ImageOutput::AppendSubimage));
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, c.data()));
  out->close();
  const auto f = image::readPicture(file);
  EXPECT_EQ(f.picture.data, (Box{2, 1, 6, 4}));
  EXPECT_EQ(f.picture.display, (Box{0, 0, 10, 6}));
  EXPECT_TRUE(f.hasAlpha);
  EXPECT_EQ(f.picture.pixel(2, 1)[0], 0.25f);
}
TEST(Plate, SomeRowsAreThoseOfTheWhole) {
  const test::Folder folder;
  image::Picture p(70, 90, 4, 1.0f);
  for (int y = 0; y < 90; ++y)
    for (int x = 0; x < 70; ++x)
      for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = static_cast<float>((x * 7 + y * 13 + c * 29) % 97) / 97;
  for (const char* name : {"a.1.exr", "b.1.png", "c.1.jpg", "d.1.dpx"}) {
    image::writePicture(folder / name, p, {});
    const auto plate = openPlate(folder / name);
    const auto whole = image::readFrame(plate, 1).picture;
    for (const auto& [y0, y1] : {std::pair(33, 41), {0, 90}, {-20, 5}, {80, 200}, {300, 400}}) {
      const auto some = image::readRows(plate, 1, y0, y1).picture;
      EXPECT_EQ(some.display, whole.display);
      EXPECT_LE(some.data.y0, std::clamp(y0, 0, 89)) << name;
      EXPECT_GE(some.data.y1, std::clamp(y1, 0, 90)) << name;
      for (int y = some.data.y0; y < some.data.y1; ++y)
        ASSERT_TRUE(std::equal(some.pixel(0, y), some.pixel(0, y) + 280, whole.pixel(0, y))) << name << " row " << y;
    }
    EXPECT_LT(image::readRows(plate, 1, 33, 41).picture.data.height(), 90) << name;
  }
  // A file that is cut short says so where that matters.
  fs::resize_file(folder / "b.1.png", fs::file_size(folder / "b.1.png") / 2);
  EXPECT_FALSE(errorOf([&] { image::readRows(openPlate(folder / "b.1.png"), 1, 80, 90); }).empty());
}
TEST(Plate, MoviesAreReadFrameByFrame) {
  const test::Folder folder;
  const std::string file = (folder / "m.mov").string();
  ASSERT_EQ(
      test::runCommand("ffmpeg -v error -f lavfi -i testsrc=size=64x48:rate=25 -frames:v 6 -c:v mjpeg -q:v 2 " + file),
      0);
  const auto p = openPlate(file);
  EXPECT_TRUE(p.movie);
  EXPECT_EQ(p.range, (FrameRange{1, 6}));
  EXPECT_DOUBLE_EQ(p.fps, 25);
  const auto f = image::readFrame(p, 4);
  EXPECT_EQ(f.picture.display.width(), 64);
}
TEST(Write, EveryFormatComesBackWithinItsPrecision) {
  const test::Folder folder;
  for (const auto& [ending, error] :
       {std::pair{"exr", 1e-4}, {"png", 1e-4}, {"tif", 1e-4}, {"jpg", 1e-2}, {"dpx", 0.02}}) {
    const auto file = folder / (std::string("a.1.") + ending);
    image::WriteOptions options;
    options.quality = 100;
    image::writePicture(file, grey(32, 16, 0.3f), options);
    const auto back = image::readPicture(file);
    EXPECT_NEAR(back.picture.pixel(10, 7)[1], 0.3, error) << ending;
  }
}
TEST(Write, HalfFloatsComeBackBitForBit) {
  const test::Folder folder;
  image::Picture p(64, 64, 4, 1.0f);
  // Every value here is a half: eight bits of mantissa, a few exponents.
  for (size_t i = 0; i < p.values.size(); ++i)
    if (i % 4 != 3) p.values[i] = static_cast<float>(std::ldexp(1 + (i % 251) / 256.0, static_cast<int>(i % 9) - 6));
  image::writePicture(folder / "a.exr", p, {});
  EXPECT_EQ(image::readPicture(folder / "a.exr").picture.values, p.values);
}
TEST(Write, AMissingFolderOrUnknownEndingIsSaid) {
  const test::Folder folder;
  EXPECT_TRUE(
      says(errorOf([&] { image::writePicture(folder / "no/a.exr", grey(4, 4, 1), {}); }), {"folder", "not there"}));
  EXPECT_TRUE(says(errorOf([&] { image::writePicture(folder / "a.xyz", grey(4, 4, 1), {}); }), {"cannot be written"}));
}
TEST(Plate, LayersAreNamedAndChosen) {
  const test::Folder folder;
  // Two layers in one part, and another part with its own name.
  OIIO::ImageSpec many(16, 8, 7, OIIO::TypeDesc::HALF), other(16, 8, 3, OIIO::TypeDesc::HALF);
  many.channelnames = {"beauty.R", "beauty.G", "beauty.B", "beauty.A", "spec.red", "spec.green", "spec.blue"};
  many.attribute("oiio:subimagename", "main"), other.attribute("oiio:subimagename", "fill");
  other.channelnames = {"R", "G", "B"};
  std::vector<float> a(16 * 8 * 7), b(16 * 8 * 3, 0.75f);
  for (size_t i = 0; i < a.size(); ++i) a[i] = i % 7 < 4 ? 0.25f : 0.5f;
  const std::string file = (folder / "l.0001.exr").string();
  const auto out = OIIO::ImageOutput::create(file);
  const OIIO::ImageSpec specs[] = {many, other};
  ASSERT_TRUE(out->open(file, 2, specs));
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, a.data()));
  ASSERT_TRUE(out->open(file, other, OIIO::ImageOutput::AppendSubimage));
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, b.data()));
  out->close();
  image::Plate p = image::openPlate(file);
  EXPECT_EQ(p.layers, (std::vector<std::string>{"beauty", "spec", "fill"}));
  for (const auto& [layer, value] : {std::pair("", 0.25f), {"beauty", 0.25f}, {"spec", 0.5f}, {"fill", 0.75f}}) {
    p.layer = layer;
    EXPECT_EQ(image::readFrame(p, 1).picture.pixel(3, 3)[1], value) << layer;
  }
  p.layer = "gone";
  EXPECT_TRUE(says(errorOf([&] { image::readFrame(p, 1); }), {"no layer \"gone\"", "l.0001.exr"}));
}

TEST(Plate, FramesBeforeNoughtBelongToTheSequence) {
  const test::Folder folder;
  for (const char* n : {"a.-0002.exr", "a.-0001.exr", "a.0000.exr", "a.0001.exr", "a.0002.exr"})
    image::writePicture(folder / n, image::Picture(8, 8, 4), {});
  const auto p = image::openPlate(folder / "a.0001.exr");
  EXPECT_EQ(p.range, (FrameRange{-2, 2}));
  EXPECT_TRUE(p.missing.empty());
  EXPECT_EQ(std::filesystem::path(p.fileOf(-2)).filename(), "a.-0002.exr");
  EXPECT_EQ(image::openPlate(folder / "a.-0002.exr").pattern, p.pattern);
  EXPECT_EQ(image::readFrame(p, -1).picture.data.width(), 8);
  // A minus inside the name stays there.
  image::writePicture(folder / "shot-10.exr", image::Picture(8, 8, 4), {});
  EXPECT_EQ(image::openPlate(folder / "shot-10.exr").range, (FrameRange{10, 10}));
}

TEST(Plate, OneStrayFileDoesNotHideASequence) {
  const test::Folder folder;
  const auto write = [&](const std::string& name) {
    image::writePicture(folder / name, image::Picture(8, 6, 4, 0.5f), {});
  };
  for (const char* name : {"a.0001.exr", "a.0002.exr", "a.0003.exr", "a.1.exr"}) write(name);
  const auto plate = image::openPlate(folder / "a.0002.exr");
  EXPECT_EQ(fs::path(plate.pattern).filename(), "a.####.exr");
  EXPECT_TRUE(plate.missing.empty());
  EXPECT_EQ(plate.range.count(), 3);
  EXPECT_EQ(plate.strays, std::vector<int>{1});
  // Without any zero in front numbers are as long as they are.
  for (const char* name : {"b.9.exr", "b.10.exr", "b.11.exr"}) write(name);
  EXPECT_EQ(fs::path(image::openPlate(folder / "b.10.exr").pattern).filename(), "b.#.exr");
  // Padded, and going on longer than that: one sequence.
  for (const char* name : {"c.098.exr", "c.099.exr", "c.1000.exr"}) write(name);
  const auto c = image::openPlate(folder / "c.098.exr");
  EXPECT_EQ(fs::path(c.pattern).filename(), "c.###.exr");
  EXPECT_EQ(c.range.last, 1000);
}
