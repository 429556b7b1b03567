// What a delivery refuses: files of others, frames that something grave touches, names that lead elsewhere.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <fstream>
#include <random>

#include "core/base/files.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/lens/st_maps.h"
#include "core/output/mattes.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::errorOf;
namespace fs = std::filesystem;

namespace {

const std::vector<int> kAll = {1001, 1002, 1003, 1004, 1005};

std::string noteOf(const fs::path& file, const char* key) {
  const auto in = OIIO::ImageInput::open(file.string());
  return in ? in->spec().get_string_attribute(key) : "";
}

}  // namespace

TEST(Refuse, FilesThatOthersWroteAreOnlyReplacedWhenThatIsWished) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  comp::RenderCache w(test::kBudget);
  s.delivery.pattern = (folder / "out/x.####.exr").string();
  fs::create_directories(folder / "out");
  image::writePicture(folder / "out/x.1003.exr", image::Picture(320, 180, 4), {});
  const auto before = readText(folder / "out/x.1003.exr");
  EXPECT_THROW(test::deliver(s, kAll, w), image::NotOurs);
  EXPECT_EQ(readText(folder / "out/x.1003.exr"), before);
  EXPECT_FALSE(fs::exists(folder / "out/x.1001.exr"));
  EXPECT_EQ(test::deliver(s, kAll, w, {}, {true, false}).written, kAll);
  // Now they are ours.
  s.delivery.half = false;
  EXPECT_EQ(test::deliver(s, kAll, w).written, kAll);
}

TEST(Refuse, FramesThatSomethingGraveTouchesAreLeftOutAndNamed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  comp::RenderCache w(test::kBudget);
  auto path = *s.camera;
  path.poses.erase(1004);
  s.camera = std::make_shared<camera::CameraPath>(path);
  const auto report = test::deliver(s, kAll, w);
  EXPECT_EQ(report.written, (std::vector<int>{1001, 1002, 1003, 1005}));
  ASSERT_EQ(report.refused.size(), 1U);
  EXPECT_EQ(report.refused[0].frames, std::vector<int>{1004});
  EXPECT_NE(report.refused[0].why.find("no pose"), std::string::npos) << report.refused[0].why;
  EXPECT_NE(errorOf([&] { test::deliver(s, {1004}, w); }).find("no pose"), std::string::npos);
  EXPECT_EQ(test::deliver(s, kAll, w, {}, {false, true}).written, std::vector<int>{1004});
  EXPECT_NE(noteOf(folder / "deliver/walk.1004.exr", "zentil:inSpiteOf").find("no pose"), std::string::npos);
  EXPECT_EQ(noteOf(folder / "deliver/walk.1001.exr", "zentil:inSpiteOf"), "");
}

TEST(Refuse, AMissingFrameOfARenderStopsThatFrameAlone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  comp::RenderCache w(test::kBudget);
  fs::create_directories(folder / "cg");
  image::WriteOptions withAlpha;
  withAlpha.alpha = true;
  for (const int f : {61, 62, 63, 65})
    image::writePicture(folder / fmt::format("cg/x.{:04}.exr", f), image::Picture(320, 180, 4), withAlpha);
  element::Element e;
  element::Cg r;
  r.files = image::openPlate(folder / "cg/x.0061.exr");
  r.shift = 1001 - 61;
  e.id = "e1", e.name = "CG", e.source = r, e.place = element::throughCamera();
  s.elements = {e};
  const auto report = test::deliver(s, kAll, w);
  EXPECT_EQ(report.written, (std::vector<int>{1001, 1002, 1003, 1005}));
  ASSERT_EQ(report.refused.size(), 1U);
  EXPECT_EQ(report.refused[0].frames, std::vector<int>{1004});
}

TEST(Refuse, WhatCheckCallsGraveIsNotDelivered) {
  struct Wrong {
    const char* name;
    std::function<void(shot::Shot&)> make;
  };
  const Wrong cases[] = {
      {"mesh gone",
       [](shot::Shot& s) {
         s.surfaces[0].kind = set::SurfaceKind::Mesh, s.surfaces[0].meshFile = "/nowhere/rock.obj";
         s.surfaces[0].mesh = std::make_shared<set::Mesh>();
       }},
      {"folded lens", [](shot::Shot& s) { s.lens.k1 = -3; }},
      {"surface gone", [](shot::Shot& s) { s.surfaces.clear(); }},
      {"matte gone", [](shot::Shot& s) { s.elements[0].cover.push_back({"m9"}); }},
      {"picture gone",
       [](shot::Shot& s) { std::get<element::Patch>(s.elements[0].source).picture = "/nowhere/clean.exr"; }},
  };
  for (const auto& [name, make] : cases) {
    SCOPED_TRACE(name);
    const test::Folder folder;
    auto s = test::walkAlongWall(folder, 5);
    test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
    comp::RenderCache w(test::kBudget);
    make(s);
    EXPECT_FALSE(errorOf([&] { test::deliver(s, kAll, w); }).empty());
    EXPECT_FALSE(fs::exists(folder / "deliver/walk.1001.exr"));
  }
}

TEST(Refuse, MapsThatAreNotThereStopEveryDeliveryUntilTheyAreBack) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
  comp::RenderCache w(test::kBudget);
  // The shot's lens as maps.
  const auto files = test::writeLensFiles(s, 1001, folder / "lens", output::Origin::Bottom);
  s.lens = {};
  s.lens.maps = lens::readStMaps({files[0], files[1]}, s.width, s.height).maps;
  shot::save(s, folder / "a.zentil");
  fs::rename(folder / "lens", folder / "away");
  const auto without = shot::load(folder / "a.zentil");
  bool grave = false;
  for (const auto& p : shot::problemsOf(without, false)) grave |= p.grave;
  EXPECT_TRUE(grave);
  EXPECT_FALSE(errorOf([&] { test::deliver(without, kAll, w); }).empty());
  EXPECT_FALSE(fs::exists(folder / "deliver/walk.1001.exr"));
  EXPECT_FALSE(errorOf([&] { test::writeStraightPlates(without, kAll, folder / "straight", w); }).empty());
  EXPECT_FALSE(errorOf([&] { test::writeLensFiles(without, 1001, folder / "other", output::Origin::Top); }).empty());
  EXPECT_FALSE(errorOf([&] {
                 output::writeMattes(*evaluate::ShotEvaluator::of(without), {{s.mattes[0].id, "m"}}, false, 0, kAll,
                                     folder / "mattes", w);
               }).empty());
  // Saved meanwhile, it still knows its maps.
  shot::save(without, folder / "a.zentil");
  fs::rename(folder / "away", folder / "lens");
  const auto with = shot::load(folder / "a.zentil");
  EXPECT_TRUE(with.lensProblem.empty()) << with.lensProblem;
  EXPECT_EQ(test::deliver(with, kAll, w).written, kAll);
}

TEST(Refuse, DamagedMapsAreNamedAndCrashNothing) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
  const auto files = test::writeLensFiles(s, 1001, folder / "lens", output::Origin::Bottom);
  s.lens = {};
  s.lens.maps = lens::readStMaps({files[0], files[1]}, s.width, s.height).maps;
  shot::save(s, folder / "a.zentil");
  const std::string whole = readText(files[0]);
  std::mt19937 random(3);
  comp::RenderCache w(test::kBudget);
  for (int k = 0; k < 60; ++k) {
    std::string hurt = whole;
    if (k % 3 == 0)
      hurt.resize(random() % hurt.size());
    else
      for (int n = 0; n < 1 + k; ++n) hurt[random() % hurt.size()] = static_cast<char>(random());
    std::ofstream(files[0], std::ios::binary) << hurt;
    const auto damaged = shot::load(folder / "a.zentil");
    const auto picture = test::buildFrame(damaged, 1002, w);
    EXPECT_EQ(picture.data.width(), 320);
    if (damaged.lensProblem.empty()) continue;
    EXPECT_FALSE(errorOf([&] { test::deliver(damaged, kAll, w); }).empty());
    test::slipOver(damaged, damaged.elements[0], w);
  }
}

TEST(Refuse, ANameCannotLeadOutOfTheFolder) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  s.name = "../plate/walk";
  comp::RenderCache w(test::kBudget);
  for (const auto& f : test::writeStraightPlates(s, {1001}, folder / "straight", w))
    EXPECT_EQ(f.parent_path(), folder / "straight") << f;
  for (const auto& f : test::writeLensFiles(s, 1001, folder / "lens", output::Origin::Top))
    EXPECT_EQ(f.parent_path(), folder / "lens") << f;
  EXPECT_EQ(asFileName("..//a/b"), "__a_b");
}

TEST(Refuse, APlaceOutsideTheShotsFolderIsAskedAbout) {
  const test::Folder folder, elsewhere;
  auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache cache(test::kBudget);
  output::DeliveryWish wish;
  wish.within = folder.path();
  for (const std::string& place :
       {(elsewhere / "out/a.####.exr").string(), (folder / "x/../../out/a.####.exr").string()}) {
    s.delivery.pattern = place;
    EXPECT_THROW(test::deliver(s, {1001}, cache, {}, wish), output::Elsewhere) << place;
    EXPECT_FALSE(fs::exists(fs::path(place).parent_path()));
  }
  // A link out of the folder is out of it.
  fs::create_directory_symlink(elsewhere.path(), folder / "link");
  s.delivery.pattern = (folder / "link/out/a.####.exr").string();
  EXPECT_THROW(test::deliver(s, {1001}, cache, {}, wish), output::Elsewhere);
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  EXPECT_EQ(test::deliver(s, {1001}, cache, {}, wish).written.size(), 1U);
}

TEST(Refuse, AFrameThatWasCutOffInCopyingIsDeliveredAgain) {
  for (const char* ending : {"exr", "dpx", "png", "jpg", "tif"}) {
    const test::Folder folder;
    auto s = test::walkAlongWall(folder, 2);
    s.delivery.pattern = (folder / "out/a.####.").string() + ending;
    comp::RenderCache cache(test::kBudget);
    test::deliver(s, {1001, 1002}, cache);
    EXPECT_EQ(test::deliver(s, {1001, 1002}, cache).kept.size(), 2U) << ending;
    const auto file = folder / ("out/a.1002." + std::string(ending));
    fs::resize_file(file, fs::file_size(file) / 2);
    const auto again = test::deliver(s, {1001, 1002}, cache, {}, {true, false, {}});
    EXPECT_EQ(again.kept, std::vector<int>{1001}) << ending;
    EXPECT_EQ(again.written, std::vector<int>{1002}) << ending;
  }
}

TEST(Refuse, AnotherNameDeliversNothingAgain) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1001, 1001, 60, 40, 260, 140);
  comp::RenderCache cache(test::kBudget);
  test::deliver(s, {1001, 1002}, cache);
  s.name = "another", s.surfaces[0].name = "brick", s.elements[0].name = "gone", s.mattes[0].name = "where";
  EXPECT_EQ(test::deliver(s, {1001, 1002}, cache).kept.size(), 2U);
}

TEST(Refuse, CheckNamesWhatABuildWouldStumbleOn) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  const auto says = [&](const std::string& text) {
    const auto all = shot::problemsOf(s, false);
    return std::any_of(all.begin(), all.end(), [&](const auto& p) { return p.text.find(text) != std::string::npos; });
  };
  s.delivery.pattern = (folder / "out/a.####.xyz").string();
  EXPECT_TRUE(says("cannot be delivered"));
  comp::RenderCache cache(test::kBudget);
  EXPECT_NE(errorOf([&] { test::deliver(s, {1001}, cache); }).find("cannot be delivered"), std::string::npos);
  s.delivery.pattern = (folder / "out/a.exr").string();
  EXPECT_TRUE(says("no place for the frame number"));
  // Another way of writing a number, in one file: it is named, and hides nothing.
  fs::copy_file(folder / "plate/walk.1001.exr", folder / "plate/walk.01001.exr");
  EXPECT_TRUE(says("other padding, frames 1001"));
  EXPECT_FALSE(says("have no file"));
}
