// Output views against POV-Ray: a yard rendered once as its plate and once through the camera that the view stands for.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <fstream>
#include <opencv2/imgproc.hpp>

#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"
#include "core/edit/make.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "core/steady/views.h"
#include "tests/outside/beside.h"
#include "tests/support/commands.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

constexpr int kViewWide = 640, kViewHigh = 360, kViewFirst = 1001, kViewLast = 1003;
constexpr double kViewBackMm = 24, kViewFocalMm = 20;

const char* const kViewSky = R"(
sky_sphere { pigment { bozo turbulence 0.8 scale 0.25 color_map { [0 rgb <0.35,0.45,0.7>] [0.5 rgb <0.8,0.8,0.85>] [1 rgb <0.4,0.5,0.75>] } } }
)";

/// A yard with two walls and a floor, broad enough for a wider lens.
const char* const kViewScene = R"(
#version 3.7; global_settings { assumed_gamma 1 }
light_source { <20,60,-30> rgb 1.1 }
#macro Rough(A, B, S) pigment { bozo scale S turbulence 0.6 color_map { [0 rgb A] [0.5 rgb B] [1 rgb A*1.3] } } finish { ambient 0.35 diffuse 0.65 } #end
plane { y, -1.6 texture { Rough(<0.25,0.24,0.2>, <0.55,0.5,0.42>, 0.5) } }
box { <-14,-1.6,9>, <14,1.4,9.4> texture { Rough(<0.5,0.25,0.18>, <0.75,0.5,0.38>, 0.035) } }
box { <1.2,-1.6,5>, <2.6,-0.2,6.2> texture { Rough(<0.35,0.2,0.1>, <0.6,0.45,0.3>, 0.3) } }
)";

camera::Camera viewEye(int frame, double focalMm = kViewFocalMm, int width = kViewWide, int height = kViewHigh) {
  const double t = frame - kViewFirst;
  camera::Camera c;
  c.fx = c.fy = focalMm / kViewBackMm * width;
  c.cx = width / 2.0, c.cy = height / 2.0;
  c.position = Vec3(0.35 * t, 0.05 * t, 0.1 * t);
  c.rotation = view::steered({2.3 * t, -1.1 * t, 1.7 * t, 90}, 2, 1).rotation;
  return c;
}

/// POV-Ray's axes are left-handed: what is ahead has positive z.
std::string povVectorOf(const Vec3& v) { return fmt::format("<{},{},{}>", v.x(), v.y(), -v.z()); }

void renderView(const std::filesystem::path& file, const camera::Camera& c, int width, int height,
                const std::string& what = std::string(kViewScene) + kViewSky, bool sphere = false) {
  const std::filesystem::path scene = std::filesystem::path(file).replace_extension(".pov");
  std::ofstream(scene)
      << what
      << (sphere ? fmt::format("camera {{ spherical location {} right {} up {} direction {} angle 360 180 }}\n",
                               povVectorOf(c.position), povVectorOf(c.rotation.col(0)), povVectorOf(c.rotation.col(1)),
                               povVectorOf(-c.rotation.col(2)))
                 : fmt::format("camera {{ perspective location {} right {} up {} direction {} }}\n",
                               povVectorOf(c.position), povVectorOf(c.rotation.col(0) * (width / c.fx)),
                               povVectorOf(c.rotation.col(1) * (height / c.fy)), povVectorOf(-c.rotation.col(2))));
  std::string printed;
  ASSERT_EQ(test::runCommand(fmt::format("povray +W{} +H{} +A0.0 +AM1 +R4 -J -D Output_File_Type=E File_Gamma=1.0 "
                                         "+O{} +I{} 2>&1",
                                         width, height, file.string(), scene.string()),
                             &printed),
            0)
      << printed;
}

comp::BuildOptions sharperBuild() {
  comp::BuildOptions out;
  out.filter = map::Filter::Sharper;
  return out;
}

/// 255 where a picture has no edge within a few pixels.
cv::Mat awayFromEdges(const cv::Mat& m) {
  cv::Mat x, y, strong;
  cv::Sobel(m, x, CV_32F, 1, 0), cv::Sobel(m, y, CV_32F, 0, 1);
  cv::magnitude(x, y, strong);
  cv::Mat edges = strong > 0.35;
  cv::dilate(edges, edges, cv::getStructuringElement(cv::MORPH_RECT, {7, 7}));
  return ~edges;
}

class OutputViewOutside : public testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new test::Folder;
    for (int f = kViewFirst; f <= kViewLast; ++f)
      renderView(*folder_ / fmt::format("yard.{}.exr", f), viewEye(f), kViewWide, kViewHigh);
  }
  static void TearDownTestSuite() { delete folder_; }

  static shot::Shot yard() {
    shot::Shot s;
    s.name = "yard";
    s.setPlate(image::openPlate(*folder_ / fmt::format("yard.{}.exr", kViewFirst)));
    auto path = std::make_shared<camera::CameraPath>();
    path->backWidthMm = kViewBackMm, path->backHeightMm = kViewBackMm * kViewHigh / kViewWide;
    for (int f = kViewFirst; f <= kViewLast; ++f)
      path->poses[f] = {viewEye(f).position, viewEye(f).rotation, kViewFocalMm};
    s.camera = path;
    set::Surface wall;
    wall.id = "s1", wall.name = "wall", wall.position = {0, -0.1, -9}, wall.size = {28, 3, 1};
    s.surfaces.emplace_back(wall);
    s.delivery.pattern = (*folder_ / "out/yard.####.exr").string();
    return s;
  }
  /// The wall as the first frame shows it.
  static void addWallPatch(shot::Shot& s) {
    element::Element e;
    e.id = "e1", e.name = "patch", e.place = element::onSurface("s1");
    element::Patch patch;
    patch.frame = kViewFirst;
    e.source = patch;
    s.elements.push_back(e);
  }
  static image::Picture truth(const std::string& name, const camera::Camera& c, int width, int height) {
    renderView(*folder_ / (name + ".exr"), c, width, height);
    return image::readPicture(*folder_ / (name + ".exr")).picture;
  }

  static inline test::Folder* folder_ = nullptr;
};

}  // namespace

TEST_F(OutputViewOutside, SteadiedAPatchIsReadOnceAndNearerToTheTruth) {
  auto s = yard();
  s.steady.hold = shot::Hold::Rotation, s.steady.reference = kViewFirst, s.steady.enlarged = false;
  addWallPatch(s);
  s.output.kind = shot::OutputKind::Steadied;
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  comp::RenderCache cache(test::kBudget);
  camera::Camera steady = viewEye(kViewLast);
  steady.rotation = viewEye(kViewFirst).rotation;
  const auto should = truth("steadied", steady, kViewWide, kViewHigh);
  // On the wall, within both frames.
  const cv::Rect part(100, 115, 240, 140);
  const cv::Mat t = test::greenOf(should, part);
  for (const auto& [name, filter] : {std::pair("cubic", map::Filter::Sharp), {"Lanczos", map::Filter::Sharper}}) {
    const auto once = output::outputPicture(*evaluator, evaluator->output(kViewLast), cache, filter, true);
    // As a finished frame would be steadied: what is on it was resampled before.
    comp::BuildOptions options;
    options.filter = filter;
    const auto look = evaluator->outputView(kViewLast);
    const auto finished = comp::buildFrame(evaluator->at(kViewLast), cache, options);
    const auto twice =
        map::resample(finished, *comp::toPlate(*evaluator->output(kViewLast).here, cache), look.box, look.box, filter);
    const double one = test::psnrWithin(test::greenOf(once, part), t),
                 two = test::psnrWithin(test::greenOf(twice, part), t),
                 beside = test::besideBy(t, test::greenOf(once, part));
    std::printf("steadied patch, %s: once %.2f dB, twice %.2f dB from the truth; %.4f px beside it\n", name, one, two,
                beside);
    // What a second reading costs is the filter's: a cubic's on fine texture over one and a half decibels; six pixels a
    // side keep most of it.
    EXPECT_GE(one, two + (filter == map::Filter::Sharp ? 1.5 : 0.5));
    EXPECT_LT(beside, 0.02);
  }
}

TEST_F(OutputViewOutside, AtHalfTheFocalLengthThePlateAndWhatIsOnItLieOnTheTruth) {
  auto s = yard();
  s.output.kind = shot::OutputKind::AnotherLens;
  s.output.focalMm = kViewFocalMm / 2, s.output.width = 960, s.output.height = 540;
  comp::RenderCache cache(test::kBudget);
  const auto should = truth("wide", viewEye(kViewLast, kViewFocalMm / 2, 960, 540), 960, 540);
  const auto wideOf = [&] {
    const auto evaluator = evaluate::ShotEvaluator::of(s);
    return output::outputPicture(*evaluator, evaluator->output(kViewLast), cache, map::Filter::Sharper, true);
  };
  const auto bare = wideOf();
  ASSERT_EQ(bare.data, (Box{0, 0, 960, 540}));
  // The plate takes the middle half: wall, sky, crate and the floor before them.
  for (const auto& [name, plate] : {std::pair("wall", cv::Rect(260, 215, 200, 90)),
                                    {"crate", cv::Rect(470, 250, 200, 110)},
                                    {"floor", cv::Rect(260, 340, 440, 60)}}) {
    const cv::Mat t = test::greenOf(should, plate), own = test::greenOf(bare, plate);
    const cv::Mat mask = awayFromEdges(t);
    std::printf("wide, %s: %.4f px beside the truth, %.2f dB away from edges (%d%% of it)\n", name,
                test::besideBy(t, own), test::psnrWithin(own, t, mask),
                100 * cv::countNonZero(mask) / static_cast<int>(mask.total()));
    EXPECT_LT(test::besideBy(t, own), 0.05);
    EXPECT_GE(test::psnrWithin(own, t, mask), 40);
  }
  // Beyond the plate's left edge a patch on the wall goes on, as far as the frame that it is from saw the wall.
  addWallPatch(s);
  const auto wide = wideOf();
  const cv::Rect beyond(190, 220, 44, 60);
  Vec2 at;
  ASSERT_TRUE(evaluate::ShotEvaluator::of(s)->outputView(kViewLast).toPlate(Vec2(234, 220), at));
  EXPECT_LT(at.x(), 0);
  const cv::Mat there = test::greenOf(should, beyond), ours = test::greenOf(wide, beyond);
  std::printf("wide, beyond the plate: %.4f px, %.2f dB\n", test::besideBy(there, ours), test::psnrWithin(ours, there));
  EXPECT_LT(test::besideBy(there, ours), 0.1);
}

TEST_F(OutputViewOutside, AStillAtInfinityLiesOnATurnedCamerasPicture) {
  const std::string sky = std::string("#version 3.7; global_settings { assumed_gamma 1 }\n") + kViewSky;
  auto s = yard();
  s.surfaces.clear();
  const view::Steer steer{9, 6, -4, 75};
  camera::Camera from = view::steered(steer, 900, 600);
  renderView(*folder_ / "far.exr", from, 900, 600, sky);
  const auto should = [&](int f) {
    renderView(*folder_ / "turned.exr", viewEye(f), kViewWide, kViewHigh, sky);
    return image::readPicture(*folder_ / "turned.exr").picture;
  };
  comp::RenderCache cache(test::kBudget);
  edit::addFromFiles(s, "picture", (*folder_ / "far.exr").string(), {}, kViewFirst);
  // Without a set it is far behind from the start.
  EXPECT_TRUE(element::isAtInfinity(s.elements.back().place));
  const std::string id = s.elements.back().id;
  for (const auto& [word, value] : {std::pair("yaw", "9"), {"pitch", "6"}, {"roll", "-4"}, {"fovDegrees", "75"}})
    edit::setWord(s, "elements." + id + ".place." + word, value, kViewFirst);
  for (const int f : {kViewFirst, kViewLast}) {
    const auto built = test::buildFrame(s, f, cache, sharperBuild());
    const cv::Rect part(200, 100, 240, 160);
    const cv::Mat t = test::greenOf(should(f), part), ours = test::greenOf(built, part);
    std::printf("at infinity, frame %d: %.4f px, %.2f dB\n", f, test::besideBy(t, ours), test::psnrWithin(ours, t));
    EXPECT_LT(test::besideBy(t, ours), 0.02);
    EXPECT_GT(test::psnrWithin(ours, t), 40);
  }
}

TEST_F(OutputViewOutside, ASkyOfAllAroundStandsBehindTheSet) {
  // The plate was shot before black; what it would have been before the sky is the truth.
  for (int f = kViewFirst; f <= kViewLast; ++f)
    renderView(*folder_ / fmt::format("black.{}.exr", f), viewEye(f), kViewWide, kViewHigh, kViewScene);
  const std::string sky = std::string("#version 3.7; global_settings { assumed_gamma 1 }\n") + kViewSky;
  camera::Camera level;
  level.rotation = Mat3::Identity(), level.position = Vec3::Zero();
  renderView(*folder_ / "sky.exr", level, 4096, 2048, sky, true);
  auto s = yard();
  s.setPlate(image::openPlate(*folder_ / fmt::format("black.{}.exr", kViewFirst)));
  // A floor and the crate hide it, too.
  set::Surface floor;
  floor.id = "s2", floor.name = "floor", floor.position = {0, -1.6, -20}, floor.size = {400, 400, 1};
  floor.turn = Eigen::AngleAxisd(-M_PI / 2, Vec3::UnitX()).toRotationMatrix();
  s.surfaces.emplace_back(floor);
  comp::RenderCache cache(test::kBudget);
  edit::addFromFiles(s, "picture", (*folder_ / "sky.exr").string(), {"", "s1"}, kViewFirst);
  edit::setWord(s, "elements." + s.elements.back().id + ".on", "infinity", kViewFirst);
  const auto built = test::buildFrame(s, kViewLast, cache, sharperBuild());
  const auto should = image::readPicture(*folder_ / fmt::format("yard.{}.exr", kViewLast)).picture;
  const cv::Rect all(2, 2, kViewWide - 4, kViewHigh - 4);
  const double is = test::psnrWithin(test::greenOf(built, all), test::greenOf(should, all));
  std::printf("a sky of all around: %.2f dB\n", is);
  EXPECT_GE(is, 38);
}
