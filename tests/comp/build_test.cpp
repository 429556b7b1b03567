#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/resource.h>
#include <unistd.h>

#include <cmath>
#include <thread>

#include "core/image/write.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::errorOf;
namespace fs = std::filesystem;

namespace {
double rms(const image::Picture& a, const image::Picture& b, const Box& where) {
  double sum = 0;
  for (int y = where.y0; y < where.y1; ++y)
    for (int x = where.x0; x < where.x1; ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(a.pixel(x, y)[c] - b.pixel(x, y)[c], 2);
  return std::sqrt(sum / (3.0 * where.width() * where.height()));
}
}  // namespace

TEST(Build, APatchFromAnotherFrameIsThePlateItself) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
  comp::RenderCache w(test::kBudget);
  for (const int f : {1001, 1003}) {
    const auto built = test::buildFrame(s, f, w);
    EXPECT_LT(rms(built, w.frame(s.plate(), f)->picture, s.frameBox()), 0.004) << f;  // what is left is filtering
  }
}
TEST(Build, WhereNothingIsAddedThePlateIsUnchanged) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 90, 40, 220, 140, 10);
  comp::RenderCache w(test::kBudget);
  const auto layer = test::buildLayer(s, s.elements[0], 1002, w, map::Filter::Sharp);
  const auto built = test::buildFrame(s, 1002, w);
  const auto& plate = w.frame(s.plate(), 1002)->picture;
  int untouched = 0, touched = 0;
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      const bool covered = layer.data.contains(x, y) && layer.pixel(x, y)[3] > 0;
      covered ? ++touched : ++untouched;
      if (!covered) {
        ASSERT_EQ(0, memcmp(built.pixel(x, y), plate.pixel(x, y), 4 * sizeof(float)));
      }
    }
  EXPECT_GT(touched, 10000);
  EXPECT_GT(untouched, 10000);
}
TEST(Build, AMatteRidesItsSurface) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 100, 60, 140, 100);
  comp::RenderCache w(test::kBudget);
  Vec2 a;
  ASSERT_TRUE(map::through(*test::carrying(s, "s1", 1001, 1004, w), {120, 80}, a));
  EXPECT_GT(std::abs(a.x() - 120), 3);
  const auto m = test::matteAt(s, s.elements[0], 1004, s.frameBox(), w);
  EXPECT_GT(*m.pixel(static_cast<int>(a.x()), static_cast<int>(a.y())), 0.99f);
  test::part(s).follows = matte::Follows::Screen;
  const auto still = test::matteAt(s, s.elements[0], 1004, s.frameBox(), w);
  EXPECT_GT(*still.pixel(101, 80), 0.99f);
  EXPECT_EQ(*still.pixel(97, 80), 0.0f);
}
TEST(Build, AnInvertedMatteCoversTheRest) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 100, 60, 140, 100);
  comp::RenderCache w(test::kBudget);
  s.mattes[0].inverted = true;
  const auto m = test::matteAt(s, s.elements[0], 1001, s.frameBox(), w);
  EXPECT_EQ(*m.pixel(120, 80), 0.0f);
  EXPECT_EQ(*m.pixel(10, 10), 1.0f);
}
TEST(Build, AnImageSequenceIsAMatteToo) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 100, 60, 140, 100);

  const auto pictures = image::openPlate(test::writeMatte(s, folder / "matte", {150, 50, 190, 90}));
  test::part(s).content = matte::ImageMatte{pictures, 0};
  comp::RenderCache w(test::kBudget);
  const auto layer = test::buildLayer(s, s.elements[0], 1001, w, map::Filter::Sharp);
  EXPECT_GT(layer.pixel(160, 60)[3], 0.99f);
  EXPECT_EQ(layer.data, (Box{150, 50, 190, 90}));
}
TEST(Build, AMatteOfShapesAndPicturesReachesAsFarAsBoth) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 100, 60, 140, 100);
  const auto pictures = image::openPlate(test::writeMatte(s, folder / "matte", {200, 100, 240, 130}));
  s.mattes[0].parts.push_back({});
  matte::Part& pictured = s.mattes[0].parts.back();
  pictured.id = "b";
  pictured.follows = matte::Follows::Screen;
  pictured.content = matte::ImageMatte{pictures, 0};
  comp::RenderCache w(test::kBudget);
  const auto covered = [&](matte::Combine combine, int x, int y) {
    pictured.combine = combine;
    const auto layer = test::buildLayer(s, s.elements[0], 1001, w, map::Filter::Sharp);
    const auto at = layer.data;
    return x >= at.x0 && x < at.x1 && y >= at.y0 && y < at.y1 ? layer.pixel(x, y)[3] : 0.0f;
  };
  // The picture's place lies outside the shape's; either is covered where both are added, none where they are crossed.
  EXPECT_GT(covered(matte::Combine::Add, 220, 115), 0.99f);
  EXPECT_GT(covered(matte::Combine::Add, 120, 80), 0.99f);
  EXPECT_EQ(covered(matte::Combine::Subtract, 220, 115), 0.0f);
  EXPECT_GT(covered(matte::Combine::Subtract, 120, 80), 0.99f);
  EXPECT_EQ(covered(matte::Combine::Intersect, 220, 115), 0.0f);
  EXPECT_EQ(covered(matte::Combine::Intersect, 120, 80), 0.0f);
}

TEST(Build, ACleanPictureStandsForItsFrameAndMustHaveItsSize) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1002, 1001, 100, 60, 140, 100);
  image::Picture white(320, 180, 4, 1.0f), small(32, 18, 4, 1.0f);
  image::writePicture(folder / "white.exr", white, {});
  image::writePicture(folder / "small.exr", small, {});
  comp::RenderCache w(test::kBudget);
  test::held(s.elements[0]).picture = (folder / "white.exr").string();
  EXPECT_NEAR(test::buildFrame(s, 1001, w).pixel(120, 80)[2], 1.0f, 1e-5);
  test::held(s.elements[0]).picture = (folder / "small.exr").string();
  EXPECT_NE(errorOf([&] { test::buildFrame(s, 1001, w); }).find("32 x 18"), std::string::npos);
}
TEST(Build, GainAndOffsetAndStrengthAreApplied) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1001, 1001, 100, 60, 140, 100);
  s.elements[0].look.gain = element::Rgb{2, 1, 1}, s.elements[0].look.offset = element::Rgb{0.1, 0, 0};
  s.elements[0].look.opacity = 0.5;
  comp::RenderCache w(test::kBudget);
  const float plate = w.frame(s.plate(), 1001)->picture.pixel(120, 80)[0];
  EXPECT_NEAR(test::buildFrame(s, 1001, w).pixel(120, 80)[0], 0.5f * plate + 0.5f * (2 * plate + 0.1f), 2e-3);
}
TEST(Build, NotANumberInTheSourceDoesNotSpread) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 60, 40, 240, 140);
  auto bad = image::readFrame(s.plate(), 1002).picture;
  bad.pixel(150, 90)[0] = std::nanf("");
  image::writePicture(s.plate().fileOf(1002), bad, {});
  comp::RenderCache w(test::kBudget);
  const auto built = test::buildFrame(s, 1001, w);
  for (const float v : built.values) ASSERT_TRUE(std::isfinite(v));
}
TEST(Build, AMissingSurfaceOrCameraIsSaidInWords) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 100, 60, 140, 100);
  comp::RenderCache w(test::kBudget);
  auto t = s;
  t.elements[0].place = element::OnSurface{"gone"};
  EXPECT_NE(errorOf([&] { test::buildFrame(t, 1001, w); }).find("no surface"), std::string::npos);
  auto path = *s.camera;
  path.poses.erase(1001);
  s.camera = std::make_shared<camera::CameraPath>(path);
  EXPECT_NE(errorOf([&] { test::buildFrame(s, 1001, w); }).find("frame 1001"), std::string::npos);
}

TEST(Deliver, AStoppedDeliveryGoesOnAndKeepsWhatIsDone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1005, 1001, 90, 40, 220, 140);
  comp::RenderCache w(test::kBudget);
  Job job;
  job.onProgress = [&](double done, const std::string&) {
    if (done > 0.3) job.stop();
  };
  const std::vector<int> all = {1001, 1002, 1003, 1004, 1005};
  const auto first = test::deliver(s, all, w, job);
  EXPECT_TRUE(first.stopped);
  EXPECT_LT(first.written.size(), 5u);
  const auto second = test::deliver(s, all, w);
  EXPECT_EQ(second.kept, first.written);
  EXPECT_EQ(second.kept.size() + second.written.size(), 5u);
  EXPECT_EQ(test::deliver(s, all, w).written.size(), 0u);
  s.elements[0].look.opacity = 0.5;
  EXPECT_EQ(test::deliver(s, all, w).written.size(), 5u) << "a changed recipe makes every frame anew";
}
TEST(Deliver, EveryFormatSaysWhatItIsMadeFrom) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache w(test::kBudget);
  for (const char* ending : {"exr", "png", "jpg", "tif"}) {
    s.delivery.pattern = (folder / (std::string("out/x.####.") + ending)).string();
    test::deliver(s, {1001}, w);
    EXPECT_TRUE(test::isUpToDate(s, 1001)) << ending;
  }
}
TEST(Deliver, AFullDiskIsNamedAndLeavesNoHalfFrame) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache w(test::kBudget);
  w.frame(s.plate(), 1001);
  // A limit on the size of files stands in for the full disk: writing fails in the middle.
  struct rlimit before;
  getrlimit(RLIMIT_FSIZE, &before);
  signal(SIGXFSZ, SIG_IGN);
  for (const char* ending : {"exr", "png", "jpg", "tif", "dpx"}) {
    s.delivery.pattern = (folder / (std::string("deliver/walk.####.") + ending)).string();
    const struct rlimit small = {8000, before.rlim_max};
    setrlimit(RLIMIT_FSIZE, &small);
    const std::string said = errorOf([&] { test::deliver(s, {1001}, w); });
    setrlimit(RLIMIT_FSIZE, &before);
    EXPECT_NE(said.find(std::string("walk.1001.") + ending), std::string::npos) << said;
    EXPECT_TRUE(fs::is_empty(folder / "deliver")) << ending;
    EXPECT_EQ(test::deliver(s, {1001}, w).written.size(), 1u);
    fs::remove_all(folder / "deliver");
  }
}
TEST(Deliver, AFolderThatCannotBeMadeIsNamed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache w(test::kBudget);
  s.delivery.pattern = "/proc/none/x.####.exr";  // read-only for everyone, root too
  EXPECT_NE(errorOf([&] { test::deliver(s, {1001}, w); }).find("/proc/none"), std::string::npos);
  s.delivery.pattern = (folder / "x.exr").string();
  EXPECT_NE(errorOf([&] { test::deliver(s, {1001}, w); }).find("frame number"), std::string::npos);
}
TEST(Deliver, KilledInTheMiddleItLeavesOnlyWholeFrames) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 8, 640, 360);
  test::addPatch(s, 1005, 1001, 90, 40, 420, 240);
  shot::save(s, folder / "a.zentil");
  const std::string run = std::string(ZENTIL_BATCH) + " build " + (folder / "a.zentil").string();
  // Killed as soon as the second frame is there.
  test::runCommand("sh -c '" + run + " & p=$!; for i in $(seq 400); do [ -e " +
                   (folder / "deliver/walk.1002.exr").string() + " ] && break; sleep 0.01; done; kill -9 $p; wait $p'");
  int whole = 0;
  for (const auto& e : fs::directory_iterator(folder / "deliver")) {
    if (e.path().filename().string().starts_with(".")) continue;
    EXPECT_NO_THROW(image::readPicture(e.path()));
    ++whole;
  }
  EXPECT_GE(whole, 2);
  std::string printed;
  EXPECT_EQ(test::runCommand(run + " --json", &printed), 0);
  const auto report = nlohmann::json::parse(printed);
  EXPECT_GE(report["kept"].size(), static_cast<size_t>(2));
  EXPECT_EQ(report["kept"].size() + report["written"].size(), 8u);
}
TEST(Batch, NewInfoCheckBuildAndSlipWork) {
  const test::Folder folder;
  const std::string batch = ZENTIL_BATCH, demo = ZENTIL_DEMO, file = (folder / "new.zentil").string();
  std::string out;
  ASSERT_EQ(
      test::runCommand(batch + " new " + file + " --plate " + demo + "/plate/boathouse.1001.exr --camera " + demo +
                           "/camera.csv --lens " + demo + "/lens.json --points " + demo + "/points.ply --json",
                       &out),
      0)
      << out;
  EXPECT_EQ(nlohmann::json::parse(out)["range"], (nlohmann::json{1001, 1072}));
  ASSERT_EQ(test::runCommand(batch + " info " + file + " --json", &out), 0);
  EXPECT_EQ(nlohmann::json::parse(out)["cameraFrames"], 72);
  EXPECT_EQ(test::runCommand(batch + " check " + file), 0);
  ASSERT_EQ(test::runCommand(
                batch + " build " + file + " --frames 1001-1009x8 --out " + folder.path().string() + "/o --json", &out),
            0)
      << out;
  EXPECT_EQ(nlohmann::json::parse(out)["written"], (nlohmann::json{1001, 1009}));
  EXPECT_EQ(test::runCommand(batch + " check " + folder.path().string() + "/none.zentil", &out), 2);
  EXPECT_NE(out.find("no such file"), std::string::npos);
}
TEST(Batch, CheckNamesEveryProblemAndItsExitCodeTells) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  fs::resize_file(s.plate().fileOf(1003), 700);
  fs::remove(s.plate().fileOf(1002));
  shot::save(s, folder / "a.zentil");
  std::string out;
  EXPECT_EQ(
      test::runCommand(std::string(ZENTIL_BATCH) + " check --decode --json " + (folder / "a.zentil").string(), &out),
      1);
  EXPECT_NE(out.find("1002"), std::string::npos);
  EXPECT_NE(out.find("1003"), std::string::npos);
}

TEST(Deliver, NeverOntoWhatTheShotIsMadeFromWhateverThePathLooksLike) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache w(test::kBudget);
  const auto before = stampOf(s.plate().fileOf(1001));
  fs::create_directory_symlink(folder / "plate", folder / "link");
  fs::create_directories(folder / "hard");
  for (const int f : {1001, 1002}) fs::create_hard_link(s.plate().fileOf(f), folder / fmt::format("hard/x.{}.exr", f));
  for (const auto& place : {folder / "plate/walk.####.exr", folder / "plate/../plate/./walk.####.exr",
                            folder / "link/walk.####.exr", folder / "hard/x.####.exr"}) {
    s.delivery.pattern = place.string();
    const std::string said = errorOf([&] { test::deliver(s, {1001, 1002}, w); });
    EXPECT_NE(said.find("made from"), std::string::npos) << place << ": " << said;
  }
  EXPECT_EQ(stampOf(s.plate().fileOf(1001)), before);
}
