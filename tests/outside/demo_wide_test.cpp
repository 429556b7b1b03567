// The demo seen by a lens of half its focal length, against its scene rendered by POV-Ray through that lens. Nightly
// (ZENTIL_ALL): the scene takes minutes.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/edit/edits.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "tests/outside/beside.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/commands.h"
#include "tests/support/making.h"

using namespace zentil;

namespace {

constexpr int kWideWidth = 1280, kWideHeight = 720;
constexpr double kHalfFocalMm = 12;

std::string povOf(const Vec3& v) { return fmt::format("<{},{},{}>", v.x(), v.y(), v.z()); }

/// The scene's camera vectors are written out in full: right-handed as they are (see demo/scene/boathouse.pov).
void writeCamera(const std::filesystem::path& folder, const camera::Camera& c) {
  const Vec3 ahead = -c.rotation.col(2), right = c.rotation.col(0) * (kWideWidth / c.fx),
             up = c.rotation.col(1) * (kWideHeight / c.fy);
  std::ofstream(folder / "cameras.inc") << fmt::format(
      "#declare CamPos = array[1] {{ {} }}\n#declare CamDir = array[1] {{ {} }}\n#declare CamRight = array[1] {{ {} "
      "}}\n"
      "#declare CamUp = array[1] {{ {} }}\n",
      povOf(c.position), povOf(ahead), povOf(right), povOf(up));
  std::ofstream(folder / "markers.inc") << "// none\n";
}

void pov(const std::filesystem::path& folder, const std::string& options) {
  std::string printed;
  ASSERT_EQ(test::runCommand(fmt::format("cd {} && povray +I{}/scene/boathouse.pov +L{} -D -J {} 2>&1", folder.string(),
                                         test::kDemo, folder.string(), options),
                             &printed),
            0)
      << printed.substr(printed.size() > 2000 ? printed.size() - 2000 : 0);
}

}  // namespace

TEST(DemoWide, AtHalfTheFocalLengthThePlateAndWhatGoesOnBeyondItLieOnTheScene) {
  if (!std::getenv("ZENTIL_ALL")) {
    std::printf("the demo's scene is rendered with ZENTIL_ALL=1 alone\n");
    return;
  }
  const test::Folder folder;
  auto s = shot::load(test::kDemo + "/boathouse.zentil");
  s.elements.clear();
  s.output.kind = shot::OutputKind::AnotherLens;
  s.output.focalMm = kHalfFocalMm, s.output.width = kWideWidth, s.output.height = kWideHeight;
  comp::RenderCache cache(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"element": "fill", "on": "s2", "frame": 1036, "as": {"id": "floor"}}])"),
              {cache, folder.path()});
  // By arithmetic: where the camera stands, half as long, its centre in the middle.
  auto eye = s.cameraAt(test::demo::kFirst);
  eye.fx = eye.fy = kHalfFocalMm / s.camera->backWidthMm * kWideWidth;
  eye.cx = kWideWidth / 2.0, eye.cy = kWideHeight / 2.0;
  pov(folder.path(),
      "+Otmp.png +FN16 File_Gamma=1.0 +W1518 +H726 +A0.0 +AM1 +R3 Declare=Part=6 && mv tmp.png wall.png");
  pov(folder.path(),
      "+Otmp.png +FN16 File_Gamma=1.0 +W2900 +H1950 +A0.0 +AM1 +R3 Declare=Part=7 && mv tmp.png slip.png");
  writeCamera(folder.path(), eye);
  pov(folder.path(),
      fmt::format("+Owide.exr Output_File_Type=E +W{} +H{} +A0.0 +AM1 +R3 Declare=Frame=1001 Declare=Rig=1", kWideWidth,
                  kWideHeight));
  const auto truth = image::readPicture(folder / "wide.exr").picture;
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto ours =
      output::outputPicture(*evaluator, evaluator->output(test::demo::kFirst), cache, map::Filter::Sharper, true);
  // Within the plate: wall, door and roof's edge, the slip before them.
  for (const auto& [name, part] :
       {std::pair("wall", cv::Rect(500, 290, 180, 90)), {"door", cv::Rect(690, 280, 90, 100)}}) {
    const cv::Mat t = test::greenOf(truth, part), o = test::greenOf(ours, part);
    std::printf("demo at half its focal length, %s: %.4f px, %.2f dB\n", name, test::besideBy(t, o),
                test::psnrWithin(t, o));
    EXPECT_LT(test::besideBy(t, o), 0.05);
    EXPECT_GE(test::psnrWithin(t, o), 40);
  }
  // Beyond its right edge the floor goes on as later frames saw it.
  Vec2 a, b, onPlate;
  const auto look = evaluator->outputView(test::demo::kFirst);
  ASSERT_TRUE(eye.project({3.6, 0, 0.6}, a) && eye.project({4.25, 0, 1.5}, b));
  const cv::Rect beyond(static_cast<int>(std::min(a.x(), b.x())), static_cast<int>(std::min(a.y(), b.y())),
                        static_cast<int>(std::abs(b.x() - a.x())), static_cast<int>(std::abs(b.y() - a.y())));
  ASSERT_TRUE(look.toPlate(Vec2(beyond.x, beyond.y + beyond.height), onPlate));
  EXPECT_GT(onPlate.x(), test::demo::kWidth);
  const cv::Mat t = test::greenOf(truth, beyond), o = test::greenOf(ours, beyond);
  std::printf("demo at half its focal length, the floor beyond the plate (%d x %d px): %.4f px, %.2f dB\n",
              beyond.width, beyond.height, test::besideBy(t, o), test::psnrWithin(t, o));
  EXPECT_LT(test::besideBy(t, o), 0.1);
}
