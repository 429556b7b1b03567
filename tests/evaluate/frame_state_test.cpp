// Moments: what one picture needs, evaluated; files told apart from their earlier selves; plates swapped.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include <cmath>

#include "core/edit/make.h"
#include "core/edit/plates.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/lens/st_maps.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

namespace {

std::vector<uint64_t> keysOf(const shot::Shot& s) {
  std::vector<uint64_t> out;
  for (int f = s.range.first; f <= s.range.last; ++f) out.push_back(test::recipeKey(s, f));
  return out;
}

/// The frames on which two lists of keys differ.
std::vector<int> changed(const shot::Shot& s, const std::vector<uint64_t>& a, const std::vector<uint64_t>& b) {
  std::vector<int> out;
  for (size_t i = 0; i < a.size(); ++i)
    if (a[i] != b[i]) out.push_back(s.range.first + static_cast<int>(i));
  return out;
}

void writeMesh(const fs::path& file, double size) {
  std::ofstream(file) << fmt::format("v {0} 0 0\nv 0 {0} 0\nv 0 0 {0}\nf 1 2 3\n", size);
}

}  // namespace

TEST(FrameState, HoldsPlainNumbersAndEveryFileThatWillBeRead) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1004, 1001, 40, 30, 120, 100);
  s.elements[0].look.opacity.key(1001, 1);
  s.elements[0].look.opacity.key(1005, 0);
  s.elements[0].range = {1002, 1005};
  const auto m = evaluate::resolve(s, 1003);
  ASSERT_EQ(m.layers.size(), 1U);
  EXPECT_FALSE(m.layers[0].look.opacity.keyed());
  EXPECT_EQ(m.layers[0].look.opacity.constant(), 0.5);
  EXPECT_EQ(m.plate->frame, 1003);
  ASSERT_EQ(m.layers[0].files.size(), 1U);
  EXPECT_EQ(m.layers[0].files[0].frame, 1004);
  EXPECT_EQ(m.layers[0].files[0].stamp, stampOf(s.plate().fileOf(1004)));
  EXPECT_EQ(m.layers[0].held->frame, 1004);
  EXPECT_TRUE(evaluate::resolve(s, 1001).layers.empty());
}

TEST(Fresh, OnlyFramesThatUseAChangedFileAreOthers) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 6);
  test::addPatch(s, 1005, 1001, 40, 30, 120, 100);
  s.elements[0].range = {1001, 1003};
  // CG on every frame, frame for frame; a clean picture on one patch; a mesh that stands in the way.
  image::Picture cg(320, 180, 4);
  for (int y = 20; y < 60; ++y)
    for (int x = 200; x < 260; ++x) std::fill_n(cg.pixel(x, y), 4, 1.0f);
  image::WriteOptions alpha;
  alpha.alpha = true;
  fs::create_directories(folder / "cg");
  for (int f = 1001; f <= 1006; ++f) image::writePicture(folder / fmt::format("cg/r.{}.exr", f), cg, alpha);
  element::Element e;
  e.id = "e2", e.name = "cg";
  e.source = element::Cg{image::openPlate(folder / "cg/r.1001.exr")};
  e.place = element::ThroughCamera{};
  e.range = {1004, 1006};
  s.elements.push_back(e);
  comp::RenderCache w(test::kBudget);
  const auto same = keysOf(s);
  EXPECT_EQ(keysOf(s), same);

  // A frame rendered again, under its name.
  for (int y = 20; y < 60; ++y)
    for (int x = 200; x < 260; ++x) cg.pixel(x, y)[1] = 0.25f;
  EXPECT_NEAR(test::buildFrame(s, 1005, w).pixel(230, 40)[1], 1, 1e-3);
  image::writePicture(folder / "cg/r.1005.exr", cg, alpha);
  EXPECT_EQ(changed(s, same, keysOf(s)), std::vector<int>{1005});
  EXPECT_NEAR(test::buildFrame(s, 1005, w).pixel(230, 40)[1], 0.25, 1e-3) << "the workshop follows";

  // A plate frame replaced: itself, and the frames that take a patch from it.
  const auto before = keysOf(s);
  auto plate = image::readFrame(s.plate(), 1005).picture;
  for (float& v : plate.values) v *= 0.5f;
  image::writePicture(s.plate().fileOf(1005), plate, {});
  EXPECT_EQ(changed(s, before, keysOf(s)), (std::vector<int>{1001, 1002, 1003, 1005}));

  // A clean frame repainted.
  image::Picture clean(320, 180, 4, 1.0f);
  image::writePicture(folder / "clean.exr", clean, {});
  test::held(s.elements[0]).picture = (folder / "clean.exr").string();
  const auto painted = keysOf(s);
  EXPECT_NEAR(test::buildFrame(s, 1002, w).pixel(80, 60)[0], 1, 1e-3);
  for (float& v : clean.values) v *= 0.75f;
  image::writePicture(folder / "clean.exr", clean, {});
  EXPECT_EQ(changed(s, painted, keysOf(s)), (std::vector<int>{1001, 1002, 1003}));
  EXPECT_NEAR(test::buildFrame(s, 1002, w).pixel(80, 60)[0], 0.75, 1e-3);

  // A mesh edited: whatever looks past it.
  writeMesh(folder / "m.obj", 0.1);
  edit::addMesh(s, (folder / "m.obj").string());
  const auto meshed = keysOf(s);
  writeMesh(folder / "m.obj", 0.2);
  EXPECT_EQ(changed(s, meshed, keysOf(s)).size(), 6U);
  EXPECT_NEAR(evaluate::resolve(s, 1001).here->surfaces->back().mesh->hi.x(), 0.2, 1e-6);
}

TEST(Fresh, ADeliveryMakesAnewWhatUsesAChangedFileAndKeepsTheRest) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 40, 30, 120, 100);
  s.elements[0].range = {1001, 1002};
  comp::RenderCache w(test::kBudget);
  const std::vector<int> all = {1001, 1002, 1003, 1004, 1005};
  EXPECT_EQ(test::deliver(s, all, w).written, all);
  EXPECT_EQ(test::deliver(s, all, w).kept, all);
  auto plate = image::readFrame(s.plate(), 1005).picture;
  for (float& v : plate.values) v *= 0.5f;
  image::writePicture(s.plate().fileOf(1005), plate, {});
  EXPECT_FALSE(test::isUpToDate(s, 1001));
  const auto again = test::deliver(s, all, w);
  EXPECT_EQ(again.written, (std::vector<int>{1001, 1002, 1005}));
  EXPECT_EQ(again.kept, (std::vector<int>{1003, 1004}));
  const auto out = image::readPicture(folder / "deliver/walk.1005.exr");
  EXPECT_NEAR(out.picture.pixel(100, 100)[0], plate.pixel(100, 100)[0], 1e-3);
}

TEST(Fresh, RenamingAndMovingTheFolderKeepsWhatWasDelivered) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  comp::RenderCache w(test::kBudget);
  test::deliver(s, {1001, 1002}, w);
  s.name = "another", s.elements[0].name = "other", s.surfaces[0].name = "brick", s.mattes[0].name = "hole";
  EXPECT_TRUE(test::isUpToDate(s, 1001));
  fs::rename(folder / "plate", folder / "moved");
  s.plateUse(s.worked().id)->files.pattern = (folder / "moved/walk.####.exr").string();
  EXPECT_TRUE(test::isUpToDate(s, 1001));
}

TEST(Fresh, APlatesScaleChangesWhatIsReadFromIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1004, 1001, 40, 30, 120, 100);
  const std::string other = edit::addPlate(s, s.plate().fileOf(1001), "again");
  test::held(s.elements[0]).plate = other;
  const auto before = keysOf(s);
  s.plateUse(other)->scale = 0.5;
  EXPECT_EQ(changed(s, before, keysOf(s)), (std::vector<int>{1001, 1002, 1003, 1004, 1005}));
}

TEST(Fresh, AnInvertedRemovalMatteChangesTheFillThatKeepsOutOfIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1004, 1001, 40, 30, 120, 100);
  s.elements[0].source = element::Fill{{1001, 1005}, {}, element::FillMethod::Averaged, true};
  // Another matte marks what has to go, and only the fill's sources look at it.
  matte::Matte away;
  away.id = "m9", away.removal = true;
  away.parts = s.mattes[0].parts;
  s.mattes.push_back(away);
  const auto before = keysOf(s);
  s.mattes[1].inverted = true;
  EXPECT_EQ(changed(s, before, keysOf(s)), (std::vector<int>{1001, 1002, 1003, 1004, 1005}));
}

TEST(Fresh, WiderPixelsAreDeliveredAnew) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.delivery.pattern = (folder / "out/####.exr").string();
  comp::RenderCache cache(test::kBudget);
  test::deliver(s, {1002}, cache);
  ASSERT_TRUE(test::isUpToDate(s, 1002));
  s.plateUse(s.worked().id)->files.pixelAspect = 1.0667;
  EXPECT_FALSE(test::isUpToDate(s, 1002));
}

TEST(Fresh, MapsWhoseFileChangesInOnePixelAreOthers) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  test::addPatch(s, 1001, 1001, 40, 30, 120, 100);
  // A lens that bends nothing, and another that differs in one pixel far from corners and middle.
  const auto load = [&](const char* name, float off) {
    image::Picture map(320, 180, 4, 1.0f);
    for (int y = 0; y < 180; ++y)
      for (int x = 0; x < 320; ++x) map.pixel(x, y)[0] = (x + 0.5f) / 320, map.pixel(x, y)[1] = 1 - (y + 0.5f) / 180;
    map.pixel(93, 41)[0] += off;
    image::WriteOptions o;
    o.half = false, o.compression = "none";
    image::writePicture(folder / name, map, o);
    lens::StMapFiles files;
    files.undistort = folder / name;
    s.lens.maps = lens::readStMaps(files, 320, 180).maps;
  };
  load("undistort.exr", 0);
  const auto before = keysOf(s);
  load("undistort.exr", 0.01f / 320);
  EXPECT_EQ(changed(s, before, keysOf(s)).size(), 3U);
}

TEST(Plates, SwappingTheOneThatIsWorkedOnIsOneWordAndChangesNothingElse) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  test::addPatch(s, 1004, 1001, 60, 40, 200, 130);
  // A graded copy whose frames are numbered from 1.
  fs::create_directories(folder / "graded");
  for (int f = 1001; f <= 1004; ++f) {
    auto p = image::readFrame(s.plate(), f).picture;
    for (size_t i = 0; i < p.values.size(); i += 4) p.values[i] *= 1.2f, p.values[i + 2] *= 0.8f;
    image::writePicture(folder / fmt::format("graded/g.{:04}.exr", f - 1000), p, {});
  }
  const std::string id = edit::addPlate(s, (folder / "graded/g.0001.exr").string(), "graded");
  edit::setWord(s, "plates." + id + ".shift", "1000", 1001);
  const auto before = s;
  edit::setWord(s, "workingPlate", id, 1001);
  auto back = s;
  back.workingPlate = before.workingPlate;
  EXPECT_TRUE(back == before) << "one word";
  comp::RenderCache w(test::kBudget);
  const auto raw = test::buildFrame(before, 1002, w), graded = test::buildFrame(s, 1002, w);
  for (const auto& [x, y] : {std::pair{120, 80}, {20, 20}, {300, 150}}) {
    EXPECT_NEAR(graded.pixel(x, y)[0], 1.2f * raw.pixel(x, y)[0], 3e-3) << "plate and patch follow the grade";
    EXPECT_NEAR(graded.pixel(x, y)[1], raw.pixel(x, y)[1], 3e-3);
  }
  // A patch can stay with the plate that it was taken from.
  edit::setWord(s, "elements.e1.source.plate", "f1", 1001);
  EXPECT_NEAR(test::buildFrame(s, 1002, w).pixel(120, 80)[0], raw.pixel(120, 80)[0], 3e-3);
  EXPECT_NE(test::errorOf([&] { edit::setWord(s, "workingPlate", "f9", 1001); }), "");
}

TEST(Plates, ASourcePlateOfAnotherSizeIsReadByItsScale) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180);
  test::addPatch(s, 1003, 1001, 60, 40, 200, 130);
  // The same pictures with twice the pixels, in between by proportion.
  fs::create_directories(folder / "fine");
  for (int f = 1001; f <= 1003; ++f) {
    const auto p = image::readFrame(s.plate(), f).picture;
    image::Picture twice(640, 360, 4, 1.0f);
    const auto at = [&](int x, int y, int c) { return p.pixel(std::clamp(x, 0, 319), std::clamp(y, 0, 179))[c]; };
    for (int y = 0; y < 360; ++y)
      for (int x = 0; x < 640; ++x)
        for (int c = 0; c < 3; ++c) {
          const int i = (x + 1) / 2 - 1, j = (y + 1) / 2 - 1;
          const float u = x % 2 ? 0.25f : 0.75f, v = y % 2 ? 0.25f : 0.75f;
          twice.pixel(x, y)[c] = (1 - v) * ((1 - u) * at(i, j, c) + u * at(i + 1, j, c)) +
                                 v * ((1 - u) * at(i, j + 1, c) + u * at(i + 1, j + 1, c));
        }
    image::writePicture(folder / fmt::format("fine/f.{}.exr", f), twice, {});
  }
  const std::string id = edit::addPlate(s, (folder / "fine/f.1001.exr").string(), "fine");
  EXPECT_DOUBLE_EQ(s.plateUse(id)->scale, 2);
  comp::RenderCache w(test::kBudget);
  const auto own = test::buildFrame(s, 1002, w);
  edit::setWord(s, "elements.e1.source.plate", id, 1001);
  const auto finer = test::buildFrame(s, 1002, w);
  double sum = 0;
  int n = 0;
  for (int y = 50; y < 120; ++y)
    for (int x = 80; x < 180; ++x, ++n) sum += std::pow(finer.pixel(x, y)[0] - own.pixel(x, y)[0], 2);
  EXPECT_LT(std::sqrt(sum / n), 0.02) << "the same wall";
  edit::setWord(s, "workingPlate", id, 1001);
  EXPECT_NE(test::errorOf([&] { test::buildFrame(s, 1002, w); }).find("pixels for one"), std::string::npos);
}
