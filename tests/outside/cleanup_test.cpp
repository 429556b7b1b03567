// A whole cleanup from nothing, by command alone: new, track, solve, the world put right, surfaces, mattes, patches,
// delivered. Measured as the demo's own project is.
#include <gtest/gtest.h>

#include <fstream>

#include "core/shot/shot_json.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/commands.h"

using namespace zentil;
using namespace zentil::test::demo;
using nlohmann::json;

namespace {

/// Where the world's wall (z = 0) or slip (y = 0) is seen at a plate pixel, by the true camera.
Vec3 truthAt(const shot::Shot& truth, int frame, const Vec2& pixel, int axis) {
  Vec2 straight;
  truth.lensAt(frame).straightFromPlate(pixel, straight);
  const auto c = truth.cameraAt(frame);
  const Vec3 d = c.towards(straight);
  return c.position - d * (c.position[axis] / d[axis]);
}

json shapeOf(const shot::Shot& s, const std::string& matte, size_t which) {
  json out = json::array();
  for (const auto& p : std::get<matte::RotoShapes>(s.matte(matte)->parts[0].content).shapes[which].points.constant())
    out.push_back({p.at.x(), p.at.y()});
  return out;
}

}  // namespace

TEST(Cleanup, TheRigIsGoneByCommandsAlone) {
  const test::Folder folder;
  const auto truth = shot::load(test::kPainted);
  const test::Commands byCommand(folder, "clean");
  const std::string& file = byCommand.file();
  const auto edit = [&](const json& edits) { return byCommand.edit(edits); };
  byCommand.run("new", "--plate " + test::kDemo + "/plate/boathouse.1001.exr");
  byCommand.run("track");
  byCommand.run("solve");
  // What a survey of the place would give: a length on the wall, and where one point of it is.
  const auto solved = shot::load(file);
  const auto wallTracks = [&] {
    std::vector<std::pair<int, Vec2>> out;
    for (const auto& p : *solved.points)
      for (const auto& t : *solved.tracks)
        if (t.id == p.id && t.has(1036) && t.where(1036).x() > 180 && t.where(1036).x() < 1000 &&
            t.where(1036).y() > 120 && t.where(1036).y() < 330 && p.errorPx < 0.1)
          out.emplace_back(t.id, t.where(1036));
    return out;
  }();
  ASSERT_GT(wallTracks.size(), 10U);
  const auto byX = std::minmax_element(wallTracks.begin(), wallTracks.end(),
                                       [](const auto& a, const auto& b) { return a.second.x() < b.second.x(); });
  const auto [left, right] = std::pair(*byX.first, *byX.second);
  const Vec3 a = truthAt(truth, 1036, left.second, 2), b = truthAt(truth, 1036, right.second, 2);
  edit(json::array({
      {{"constraint", "ground"}, {"inside", {{330, 560}, {560, 560}, {560, 700}, {200, 700}}}, {"frame", 1036}},
      {{"constraint", "wall"}, {"inside", {{180, 120}, {560, 120}, {560, 330}, {180, 330}}}, {"frame", 1036}},
      {{"constraint", "origin"}, {"points", {left.first}}},
      {{"constraint", "scale"}, {"points", {left.first, right.first}}, {"lengthM", (b - a).norm()}},
  }));
  // The barrel was measured where it stands; everything else lies on points.
  const Vec3 barrel = truth.surface("s6")->position.constant() - Vec3(a.x(), 0, 0);
  const auto answers = edit(json::array({
      {{"plane", {{"inside", {{150, 100}, {1000, 100}, {1000, 340}, {150, 340}}}, {"frame", 1036}}},
       {"as", {{"name", "wall"}}}},
      {{"plane", {{"inside", {{250, 560}, {560, 560}, {560, 715}, {150, 715}}}, {"frame", 1036}}},
       {"as", {{"name", "slip"}}}},
      {{"mesh", test::kDemo + "/barrel.obj"}, {"as", {{"name", "barrel"}, {"position", {barrel.x(), 0, barrel.z()}}}}},
      {{"add", "surfaces"},
       {"as",
        {{"id", "card"},
         {"name", "card"},
         {"kind", "plane"},
         {"occludes", false},
         {"position", {0.22 - a.x(), 1.2, 2.0}},
         {"size", {1.4, 2.6, 1}}}}},
  }));
  const std::string wall = answers[0].at("id"), slip = answers[1].at("id"), drum = answers[2];
  std::printf("wall %.1f mm, slip %.1f mm off their points (RMS); %d and %d left out\n",
              1000 * answers[0].at("rmsM").get<double>(), 1000 * answers[1].at("rmsM").get<double>(),
              answers[0].at("leftOut").get<int>(), answers[1].at("leftOut").get<int>());
  // The wall ends at the slip; both reach as far as they are covered.
  edit(json::array({
      {{"set", "surfaces." + wall + ".size"},
       {"to", {12, 2 * shot::load(file).surface(wall)->position.constant().y(), 1}}},
      {{"set", "surfaces." + slip + ".size"},
       {"to", {30, 2 * std::abs(shot::load(file).surface(slip)->position.constant().z()), 1}}},
  }));
  const auto patch = [&](const char* name, const std::string& on, int source, int first, int last, bool painted) {
    json as = {{"name", name}, {"range", {first, last}}};
    if (painted) as["source"] = {{"kind", "patch"}, {"frame", source}, {"picture", test::kPaintedFrame}};
    return json{{"element", "patch"}, {"on", on}, {"frame", source}, {"as", as}};
  };
  const auto made = edit(json::array(
      {patch("Wall, early", wall, 1072, 1001, 1022, false), patch("Wall, midway", wall, 1036, 1023, 1049, true),
       patch("Wall, late", wall, 1001, 1050, 1072, false), patch("Slip", slip, 1036, 1001, 1072, true),
       patch("Shadow", slip, 1036, 1001, 1072, true), patch("Barrel", drum, 1036, 1001, 1072, true)}));
  json mattes = json::array();
  const auto outline = [&](const std::string& first, const std::string& matte, size_t shapes, const json& part) {
    for (size_t k = 0; k < shapes; ++k)
      mattes.push_back({{"shape", shapeOf(truth, matte, k)}, {"frame", 1036}, {"element", first}, {"as", part}});
  };
  outline(made[0], "m1", 1, {{"surface", "card"}, {"softPx", 8}});
  outline(made[4], "m2", 2, {{"softPx", 12}});
  outline(made[5], "m3", 1, {{"softPx", 6}});
  const auto drawn = edit(mattes);
  json cover = json::array();
  for (const int i : {1, 2, 3})
    cover.push_back({{"set", "elements." + made[static_cast<size_t>(i)].get<std::string>() + ".cover"},
                     {"to", {{{"matte", drawn[0]}}}}});
  edit(cover);
  byCommand.run("check");
  byCommand.run("build", "--out " + (folder / "out").string());
  const std::string name = std::filesystem::path(shot::load(file).delivery.pattern).filename().string();
  const auto [mean, worst] = psnrOverTheRig([&](int f) {
    std::string n = name;
    return (folder / "out").string() + "/" + n.replace(n.find("####"), 4, std::to_string(f));
  });
  std::printf("by command alone, PSNR over the rig's matte: mean %.2f dB, worst frame %.2f dB\n", mean, worst);
  EXPECT_GE(mean, 38);
  EXPECT_GE(worst, 34);
}
