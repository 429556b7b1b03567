// One picture that stands for all frames; what a JPEG says of itself goes along.
#include "core/image/pictures.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/base/error.h"
#include "core/image/jpeg_packets.h"
#include "core/image/write.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(Pictures, OneWithoutANumberHoldsOnEveryFrame) {
  const test::Folder folder;
  image::writePicture(folder / "poster.exr", image::Picture(64, 48, 4, 0.25f), {});
  const auto still = image::openPictures(folder / "poster.exr", 25);
  EXPECT_EQ(still.width, 64);
  EXPECT_EQ(still.height, 48);
  EXPECT_EQ(still.fps, 25);
  EXPECT_EQ(still.fileOf(1), still.fileOf(1234));
  EXPECT_NEAR(image::readFrame(still, 1).picture.pixel(5, 5)[0], 0.25f, 1e-3);
  // Numbered ones are the sequence that they are a frame of; what is not there is said.
  for (const int f : {3, 4})
    image::writePicture(folder / fmt::format("walk.{:04}.exr", f), image::Picture(8, 8, 4), {});
  EXPECT_EQ(image::openPictures(folder / "walk.0003.exr").range, (FrameRange{3, 4}));
  EXPECT_NE(test::errorOf([&] { image::openPictures(folder / "gone.exr"); }).find("no such file"), std::string::npos);
  std::ofstream(folder / "words.exr") << "no picture";
  EXPECT_NE(test::errorOf([&] { image::openPictures(folder / "words.exr"); }), "");
}

TEST(Pictures, AJpegsPacketsGoAlong) {
  const test::Folder folder;
  const auto bytes = [](const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    return std::string{std::istreambuf_iterator<char>(in), {}};
  };
  image::Picture grey(64, 32, 4, 0.5f);
  image::writePicture(folder / "plain.jpg", grey, {});
  EXPECT_TRUE(image::packetsIn(folder / "plain.jpg").empty()) << "Exif is none";
  const std::string words = std::string("invented packet") + '\0' + "<all around=\"yes\"/>";
  const auto length = static_cast<char>(words.size() + 2);
  const std::string packet = std::string("\xFF\xE1") + '\0' + length + words;
  std::filesystem::copy_file(folder / "plain.jpg", folder / "said.jpg");
  image::addPackets(folder / "said.jpg", packet);
  EXPECT_EQ(image::packetsIn(folder / "said.jpg"), packet);
  image::WriteOptions options;
  options.packetsOf = folder / "said.jpg";
  image::writePicture(folder / "again.jpg", grey, options);
  EXPECT_EQ(image::packetsIn(folder / "again.jpg"), packet);
  EXPECT_EQ(image::readPicture(folder / "again.jpg").picture.data.width(), 64) << "it is a picture still";
  // Cut short, or no JPEG at all: nothing.
  std::ofstream(folder / "cut.jpg", std::ios::binary) << bytes(folder / "said.jpg").substr(0, 12);
  EXPECT_TRUE(image::packetsIn(folder / "cut.jpg").empty());
  EXPECT_TRUE(image::packetsIn(folder / "gone.jpg").empty());
  options.packetsOf = folder / "gone.exr";
  EXPECT_NO_THROW(image::writePicture(folder / "other.jpg", grey, options));
}
