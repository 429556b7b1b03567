// zentil-batch as scripts use it: what it prints as JSON, and the files it leaves. The pictures are OpenCV's published
// chessboards (Debian's opencv-doc) and the demo's plate.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/lens/lens_file.h"
#include "core/lens/st_maps.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

/// Runs zentil-batch with --json; fails the test when it does.
json run(const std::string& arguments) {
  std::string printed;
  EXPECT_EQ(0, test::runCommand(std::string(ZENTIL_BATCH) + " " + arguments + " --json", &printed)) << printed;
  return json::parse(printed, nullptr, false);
}

}  // namespace

TEST(Commands, CalibrateWritesWhatOpenCvReads) {
  const std::string boards = "/usr/share/doc/opencv-doc/examples/data/left0";
  if (!std::filesystem::exists(boards + "1.jpg")) FAIL() << boards << "1.jpg is not there (package opencv-doc)";
  const test::Folder folder;
  std::string pictures;
  for (const char* n : {"1", "2", "3", "4", "5", "6"}) pictures += boards + n + ".jpg ";
  const std::string out = (folder / "lens.yml").string();
  const json said = run("calibrate " + pictures + "--board 9x6 --out " + out);
  ASSERT_EQ(said["pictures"].size(), 6U);
  EXPECT_NEAR(said["focalPx"][0].get<double>(), 535.9, 8);
  EXPECT_GT(said["focalSigmaPx"].get<double>(), 0);
  const auto file = lens::readLens(out);
  EXPECT_NEAR(file.focalPx->x(), said["focalPx"][0].get<double>(), 1e-6);
  EXPECT_NEAR(file.lens.k1, said["k1k2k3p1p2"][0].get<double>(), 1e-9);
  EXPECT_EQ(file.width, 640);
  std::string printed;
  EXPECT_NE(0,
            test::runCommand(std::string(ZENTIL_BATCH) + " calibrate " + boards + "1.jpg --board nonsense", &printed));
  EXPECT_NE(printed.find("no size"), std::string::npos) << printed;
}

TEST(Commands, MapsGoOutAndComeBackAsTheLens) {
  const test::Folder folder;
  const std::string dir = folder.path().string();
  run("lens " + test::kPainted + " --top --out " + dir);
  const json said =
      run("take-maps " + test::kPainted + " --undistort " + dir + "/boathouse_undistort.exr --redistort " + dir +
          "/boathouse_redistort.exr --out " + dir + "/mapped.zentil");
  EXPECT_TRUE(said["fromTop"].get<bool>());
  EXPECT_EQ(said["straight"], (json{1330, 748}));
  EXPECT_LT(said["pairWorstPx"].get<double>(), 0.01);
  const auto before = shot::load(test::kPainted), after = shot::load(dir + "/mapped.zentil");
  ASSERT_TRUE(after.lens.maps);
  for (const Vec2& p : {Vec2(1, 1), Vec2(640, 5), Vec2(1279, 719), Vec2(300, 600)}) {
    Vec2 a, b;
    ASSERT_TRUE(before.lensAt(1001).straightFromPlate(p, a) && after.lensAt(1001).straightFromPlate(p, b));
    EXPECT_NEAR((a - b).norm(), 0, 0.01);
  }
}

TEST(Commands, LinesInAShotAreSolvedAndSaved) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1, 640, 360, -0.1);
  const auto truth = s.lensAt(1001);
  for (int k = 0; k < 6; ++k) {
    lens::StraightLine line;
    line.id = "l" + std::to_string(k), line.frame = 1001;
    for (int i = 0; i <= 10; ++i) {
      Vec2 p;
      const double along = 0.03 + 0.094 * i, across = 0.06 + 0.17 * k;
      if (truth.plateFromStraight(k % 2 ? Vec2(640 * along, 360 * across) : Vec2(640 * across, 360 * along), p))
        line.points.push_back(p);
    }
    s.lines.push_back(line);
  }
  s.lens = {};
  shot::save(s, folder / "a.zentil");
  const json said = run("solve-lines " + (folder / "a.zentil").string() + " --out " + (folder / "b.zentil").string());
  EXPECT_NEAR(said["k1"].get<double>(), -0.1, 1e-3);
  EXPECT_EQ(said["lines"].size(), 6U);
  EXPECT_NEAR(shot::load(folder / "b.zentil").lens.k1, -0.1, 1e-3);
  EXPECT_TRUE(shot::load(folder / "a.zentil").lens.isStraight());
}

TEST(Commands, StraightPlatesAreAsLargeAsTheOverscan) {
  const test::Folder folder;
  const json said = run("straight " + test::kPainted + " --frames 1036 --out " + folder.path().string());
  ASSERT_EQ(said["files"].size(), 1U);
  const auto p = image::readPicture(said["files"][0].get<std::string>());
  EXPECT_EQ(p.picture.display, (Box{0, 0, 1330, 748}));
  EXPECT_TRUE(p.wasHalf);
}

TEST(Commands, ACameraIsTrackedAndSolvedFromAPlateAlone) {
  const test::Folder folder;
  const std::string file = (folder / "n.zentil").string();
  run("new " + file + " --plate " + test::kDemo + "/plate/boathouse.1001.exr");
  const json tracked = run("track " + file + " --count 250");
  EXPECT_GT(tracked["leastOnAFrame"].get<int>(), 150);
  const json solved = run("solve " + file);
  EXPECT_EQ(solved["frames"], 72);
  EXPECT_LT(solved["rmsPx"].get<double>(), 0.2);
  // A film back 24.89 mm wide is what a new shot has, and what the demo was shot with.
  EXPECT_NEAR(solved["focalMm"].get<double>(), 24, 0.2);
  const auto s = shot::load(file);
  EXPECT_EQ(s.camera->poses.size(), 72U);
  EXPECT_GT(s.points->size(), 200U);
  ASSERT_TRUE(s.solved);
  EXPECT_NEAR(s.solved->rmsPx, solved["rmsPx"].get<double>(), 1e-9);
  // What a shot says of its focal length holds, unless it is asked for otherwise.
  auto known = s;
  auto body = std::make_shared<camera::CameraPath>(*s.camera);
  body->poses.clear(), body->focalMm = 24.1;
  known.camera = body, known.solveSettings.focal = solve::Focal::Known;
  const std::string sure = (folder / "known.zentil").string();
  shot::save(known, sure);
  EXPECT_NEAR(run("solve " + sure)["focalMm"].get<double>(), 24.1, 1e-9);
  EXPECT_LT(run("solve " + sure + " --focal unknown")["focalMm"].get<double>(), 24.09);
  std::string printed;
  const std::string again = " --plate " + test::kDemo + "/plate/boathouse.1001.exr",
                    bare = (folder / "bare.zentil").string();
  EXPECT_NE(0, test::runCommand(std::string(ZENTIL_BATCH) + " new " + file + again, &printed));
  EXPECT_NE(printed.find("is there already"), std::string::npos) << printed;
  EXPECT_EQ(shot::load(file).camera->poses.size(), 72U) << "a shot is never written over";
  run("new " + bare + again);
  EXPECT_NE(0, test::runCommand(std::string(ZENTIL_BATCH) + " solve " + bare, &printed));
  EXPECT_NE(printed.find("0 tracks are too few"), std::string::npos) << printed;
}

TEST(Commands, FourAtOnceLoseNothing) {
  const test::Folder folder;
  const std::string file = (folder / "a.zentil").string();
  shot::save(test::walkAlongWall(folder), file);
  std::string all;
  for (int i = 0; i < 4; ++i) {
    const std::string list = (folder / fmt::format("e{}.json", i)).string();
    std::ofstream(list) << json{{{"add", "surfaces"}, {"as", {{"name", fmt::format("made {}", i)}}}}};
    all += fmt::format("{} edit {} {} & ", ZENTIL_BATCH, file, list);
  }
  EXPECT_EQ(0, test::runCommand(all + "wait", nullptr));
  const auto s = shot::load(file);
  EXPECT_EQ(s.surfaces.size(), 5U);
  for (int i = 0; i < 4; ++i)
    EXPECT_TRUE(std::any_of(s.surfaces.begin(), s.surfaces.end(), [&](const auto& x) {
      return x.name == fmt::format("made {}", i);
    })) << i;
  for (const auto& f : std::filesystem::directory_iterator(folder.path()))
    EXPECT_EQ(f.path().string().find(".lock"), std::string::npos) << f.path();
}

TEST(Commands, HowACommandEndsIsToldByItsCodeAndJsonIsAlone) {
  const test::Folder folder;
  const std::string file = (folder / "a.zentil").string(), batch = std::string(ZENTIL_BATCH) + " ";
  shot::save(test::walkAlongWall(folder), file);
  const auto code = [&](const std::string& arguments, std::string* printed = nullptr) {
    return test::runCommand(batch + arguments, printed);
  };
  EXPECT_EQ(0, code("check " + file));
  EXPECT_EQ(2, code("check " + file + ".none"));
  for (const char* wrong : {"", " frobnicate", " build", " build x --frames"}) EXPECT_EQ(64, code(wrong)) << wrong;
  EXPECT_EQ(2, code("slip " + file + " --element typo"));
  EXPECT_EQ(2, code("info " + file + " > /dev/full"));
  auto s = shot::load(file);
  s.lens.k1 = -3;
  shot::save(s, file);
  EXPECT_EQ(1, code("check " + file));
  EXPECT_EQ(2, code("build " + file));
  for (const std::string& with :
       std::vector<std::string>{"build --json", "slip " + file + " --element typo --json",
                                "info " + file + ".none --json", "build " + file + " --json"}) {
    std::string printed;
    EXPECT_NE(0, test::runCommand("(" + batch + with + " 2>/dev/null)", &printed));
    EXPECT_TRUE(json::accept(printed)) << with << ": " << printed;
  }
}

TEST(Commands, APlateInAFolderWhoseNameIsNoTextIsUsed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  const auto odd = folder / "take\xff";
  std::filesystem::rename(folder / "plate", odd);
  const std::string first = (odd / std::filesystem::path(s.plate().fileOf(1001)).filename()).string();
  const std::string file = (folder / "odd.zentil").string();
  run("new " + file + " --plate '" + first + "'");
  EXPECT_EQ(shot::load(file).plate().fileOf(1001), first);
  EXPECT_TRUE(run("check " + file)["ok"].get<bool>());
  EXPECT_EQ(run("build " + file)["written"].size(), 5U);
}

TEST(Commands, AFrameThatIsMissingDoesNotStopTracking) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 9, 640, 360);
  std::filesystem::remove(s.plate().fileOf(1005));
  const std::string file = (folder / "gap.zentil").string();
  run("new " + file + " --plate " + s.plate().fileOf(1001));
  const json said = run("track " + file);
  EXPECT_GT(said["tracks"].get<int>(), 40);
  int across = 0;
  for (const auto& t : *shot::load(file).tracks) {
    EXPECT_FALSE(t.has(1005));
    across += t.has(1004) && t.has(1006);
  }
  EXPECT_GT(across, 30);
}
