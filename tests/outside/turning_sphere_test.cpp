// A 2:1 picture that turns, and travels a little, rendered by POV-Ray's spherical camera: how it turned, steadied,
// stood upright; as sharp as ffmpeg's v360.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <random>

#include <Eigen/Geometry>
#include <fstream>
#include <opencv2/video/tracking.hpp>

#include "core/base/error.h"
#include "core/comp/plate_layer.h"
#include "core/edit/edits.h"
#include "core/edit/flat_view.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/steadied_plate.h"
#include "core/image/sample.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "core/steady/views.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

constexpr int kYardWide = 1024, kYardHigh = 512, kFirstYard = 1001, kFrames = 10;
constexpr double kDegree = M_PI / 180;

/// A yard: a floor, four walls and some boxes, each of a texture of its own, under a sky; plumb poles at the corners.
const char* const kYard = R"(
#version 3.7; global_settings { assumed_gamma 1 }
light_source { <20,60,-30> rgb 1.1 }
#macro Rough(A, B, S) pigment { granite scale S turbulence 0.4 color_map { [0 rgb A] [0.5 rgb B] [1 rgb A*1.3] } } finish { ambient 0.35 diffuse 0.65 } #end
sky_sphere { pigment { bozo turbulence 0.8 scale 0.25 color_map { [0 rgb <0.35,0.45,0.7>] [0.5 rgb <0.8,0.8,0.85>] [1 rgb <0.4,0.5,0.75>] } } }
plane { y, -1.6 texture { Rough(<0.25,0.24,0.2>, <0.55,0.5,0.42>, 1.4) } }
box { <-9,-1.6,9>, <9,3.5,9.4> texture { Rough(<0.5,0.25,0.18>, <0.75,0.5,0.38>, 1.6) } }
box { <-9,-1.6,-9.4>, <9,2.2,-9> texture { Rough(<0.3,0.32,0.35>, <0.62,0.62,0.66>, 1.1) } }
box { <9,-1.6,-9>, <9.4,2.8,9> texture { Rough(<0.2,0.35,0.22>, <0.5,0.62,0.45>, 1.3) } }
box { <-9.4,-1.6,-9>, <-9,4.2,9> texture { Rough(<0.4,0.38,0.2>, <0.75,0.7,0.5>, 1.2) } }
box { <1.2,-1.6,2>, <2.6,-0.2,3.2> texture { Rough(<0.35,0.2,0.1>, <0.6,0.45,0.3>, 0.5) } }
box { <-3.5,-1.6,-1>, <-2.4,0.6,0.4> texture { Rough(<0.2,0.2,0.35>, <0.5,0.5,0.7>, 0.5) } }
#declare I = 0; #while (I < 4) cylinder { <5*cos(I*1.7),-1.6,5*sin(I*1.7)>, <5*cos(I*1.7),6,5*sin(I*1.7)>, 0.06 pigment { rgb <0.9,0.9,0.85> } finish { ambient 0.6 diffuse 0.4 } } #declare I = I + 1; #end
)";

Mat3 steered(double yaw, double pitch, double roll) { return view::steered({yaw, pitch, roll, 90}, 2, 1).rotation; }

/// How the rendered sphere stands on a frame, and where.
Mat3 standsOn(int frame) {
  const double t = frame - kFirstYard;
  return steered(12 + 3.1 * t + 1.5 * std::sin(2.1 * t), 5 * std::sin(0.9 * t) - 4, 4 * std::sin(1.3 * t + 1) + 3);
}
Vec3 placeOn(int frame) { return {0.035 * (frame - kFirstYard), 0.01 * std::sin(frame), -0.02 * (frame - kFirstYard)}; }

/// POV-Ray's axes are left-handed: what is ahead has positive z.
std::string povVector(const Vec3& v) { return fmt::format("<{},{},{}>", v.x(), v.y(), -v.z()); }

void render(const std::filesystem::path& file, const Mat3& rotation, const Vec3& at, int width, const char* scene) {
  const std::filesystem::path pov = std::filesystem::path(file).replace_extension(".pov");
  std::ofstream(pov) << scene
                     << fmt::format("camera {{ spherical location {} right {} up {} direction {} angle 360 180 }}\n",
                                    povVector(at), povVector(rotation.col(0)), povVector(rotation.col(1)),
                                    povVector(-rotation.col(2)));
  std::string printed;
  ASSERT_EQ(test::runCommand(fmt::format("povray +W{} +H{} +A0.3 +AM1 +R2 -D Output_File_Type=E File_Gamma=1.0 +O{} "
                                         "+I{} 2>&1",
                                         width, width / 2, file.string(), pov.string()),
                             &printed),
            0)
      << printed;
}

double degreesBetween(const Mat3& a, const Mat3& b) { return Eigen::AngleAxisd(a.transpose() * b).angle() / kDegree; }

class TurningSphere : public testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new test::Folder;
    for (int f = kFirstYard; f < kFirstYard + kFrames; ++f)
      render(*folder_ / fmt::format("yard.{}.exr", f), standsOn(f), placeOn(f), kYardWide, kYard);
  }
  static void TearDownTestSuite() { delete folder_; }

  static shot::Shot yard() {
    shot::Shot s;
    s.name = "yard";
    s.setPlate(image::openPlate(*folder_ / fmt::format("yard.{}.exr", kFirstYard)));
    s.projection = shot::Projection::Sphere;
    s.delivery.pattern = (*folder_ / "out/yard.####.exr").string();
    return s;
  }

  static inline test::Folder* folder_ = nullptr;
};

double psnr(const image::Picture& a, const image::Picture& b, int fromRow, int toRow) {
  double sum = 0;
  size_t n = 0;
  for (int y = fromRow; y < toRow; ++y)
    for (int x = 0; x < a.data.width(); ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(a.pixel(x, y)[c] - b.pixel(x, y)[c], 2), ++n;
  return -10 * std::log10(sum / static_cast<double>(n));
}

}  // namespace

TEST_F(TurningSphere, HowItTurnedIsFoundThoughItTravels) {
  auto s = yard();
  comp::RenderCache w(test::kBudget);
  const auto turns = estimate::turnsOf(s, w);
  ASSERT_EQ(turns.at.size(), static_cast<size_t>(kFrames));
  EXPECT_TRUE(turns.lost.empty());
  double sum = 0, worst = 0, within = 0;
  for (const auto& [f, turn] : turns.at) {
    const double off = degreesBetween(turn.rotation, standsOn(kFirstYard).transpose() * standsOn(f));
    sum += off * off, worst = std::max(worst, off);
    // About three axes at once: 2.8 standard errors of one hold 95 in a hundred.
    if (f > kFirstYard && off < 2.8 * turn.sigmaDegrees) ++within;
  }
  const double rms = std::sqrt(sum / kFrames);
  std::printf(
      "rotation off by %.4f degrees RMS, %.4f at the worst; said: %.4f; %g of %d within 95%%; residual %.3f px\n", rms,
      worst, turns.at.rbegin()->second.sigmaDegrees, within, kFrames - 1, turns.residualPx);
  EXPECT_LT(rms, 0.03);
  EXPECT_GE(within, 0.7 * (kFrames - 1)) << "what is said of its own error holds";
  EXPECT_TRUE(turns.at.rbegin()->second.travels) << "that it travelled is told apart from its turning";
  // A world that was stood upright stays so.
  edit::takeTurns(s, turns);
  edit::standUpright(s, kFirstYard + 3, {100, 40});
  const auto stood = s.camera->poses.at(kFirstYard + 3).rotation;
  edit::takeTurns(s, turns);
  EXPECT_LT(degreesBetween(stood, s.camera->poses.at(kFirstYard + 3).rotation), 1e-6);
}

TEST_F(TurningSphere, RotationIsTakenOutAndDeliveredAsASphere) {
  auto s = yard();
  comp::RenderCache w(test::kBudget);
  edit::takeTurns(s, estimate::turnsOf(s, w));
  s.steady.hold = shot::Hold::Rotation;
  s.steady.reference = kFirstYard;
  const auto path = steady::pathOf(s);
  EXPECT_EQ(path.enlarged, 1);
  const auto written = exchange::writeSteadiedPlate(s, *folder_ / "steady", w);
  ASSERT_EQ(written.pictures.size(), static_cast<size_t>(kFrames));
  // Against the same places rendered without turning.
  for (const int f : {kFirstYard + 4, kFirstYard + 9}) {
    const auto truthFile = *folder_ / fmt::format("still.{}.exr", f);
    render(truthFile, standsOn(kFirstYard), placeOn(f), kYardWide, kYard);
    const auto truth = image::readPicture(truthFile).picture;
    const auto ours = image::readPicture(written.pictures[static_cast<size_t>(f - kFirstYard)]).picture;
    // Where it lies, by OpenCV's ECC, in parts along the horizon.
    for (int part = 0; part < 4; ++part) {
      const auto grey = [&](const image::Picture& p) {
        cv::Mat m(160, 200, CV_32F);
        for (int y = 0; y < m.rows; ++y)
          for (int x = 0; x < m.cols; ++x) m.at<float>(y, x) = image::brightness(p.pixel(28 + part * 256 + x, 200 + y));
        return m;
      };
      cv::Mat shift = cv::Mat::eye(2, 3, CV_32F);
      cv::findTransformECC(grey(truth), grey(ours), shift, cv::MOTION_TRANSLATION,
                           cv::TermCriteria(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 100, 1e-6), cv::noArray(),
                           3);
      const double off = std::hypot(shift.at<float>(0, 2), shift.at<float>(1, 2));
      std::printf("frame %d, part %d: off by %.3f px\n", f, part, off);
      EXPECT_LT(off, 0.1);
    }
    std::printf("frame %d: %.1f dB from the picture without turning\n", f, psnr(ours, truth, 40, kYardHigh - 40));
  }
  // The shot beside it is a sphere that stands still, and its files say what they are.
  const auto made = shot::load(written.shot);
  EXPECT_EQ(made.projection, shot::Projection::Sphere);
  EXPECT_LT(degreesBetween(made.camera->poses.at(kFirstYard + 5).rotation, made.camera->poses.at(kFirstYard).rotation),
            1e-6);
  std::string header;
  ASSERT_EQ(test::runCommand("oiiotool --info -v " + written.pictures[0].string(), &header), 0);
  EXPECT_NE(header.find("LatLong"), std::string::npos) << header;
  // Smoothed, it still turns, but evenly.
  s.steady.hold = shot::Hold::Smooth;
  s.steady.smoothFrames = 4;
  const auto smooth = steady::pathOf(s);
  const auto jerk = [](const auto& rotationOf) {
    double sum = 0;
    for (int f = kFirstYard + 4; f < kFirstYard + kFrames - 4; ++f)
      sum +=
          degreesBetween(rotationOf(f - 1).transpose() * rotationOf(f), rotationOf(f).transpose() * rotationOf(f + 1));
    return sum;
  };
  EXPECT_LT(jerk([&](int f) { return smooth.looks.at(f).rotation; }), 0.35 * jerk(standsOn));
  // What a sphere cannot be asked is refused.
  s.steady.hold = shot::Hold::L1Path;
  EXPECT_NE(test::errorOf([&] { steady::pathOf(s); }).find("sphere"), std::string::npos);
  s.steady.hold = shot::Hold::Place;
  EXPECT_NE(test::errorOf([&] { steady::pathOf(s); }).find("sphere"), std::string::npos);
}

TEST_F(TurningSphere, PlumbLinesAndAClickStandItUpright) {
  auto s = yard();
  comp::RenderCache w(test::kBudget);
  edit::takeTurns(s, estimate::turnsOf(s, w));
  // Along the four poles, as a hand draws them: half a pixel off, on two frames.
  std::mt19937 random(3);
  std::normal_distribution<double> slip(0, 0.5);
  for (int i = 0; i < 4; ++i) {
    const int f = i % 2 ? kFirstYard : kFirstYard + 7;
    const view::Sphere sphere(kYardWide, kYardHigh, standsOn(f), placeOn(f));
    lens::StraightLine line;
    line.id = fmt::format("l{}", i + 1), line.frame = f;
    for (const double height : {-1.2, 0.4, 2.0, 3.6, 5.2}) {
      Vec2 at;
      ASSERT_TRUE(sphere.see(Vec3(5 * std::cos(i * 1.7), height, -5 * std::sin(i * 1.7)), at));
      line.points.push_back(at + Vec2(slip(random), slip(random)));
    }
    s.lines.push_back(line);
  }
  EXPECT_GT(edit::offPlumb(s, s.lines[1]), 1) << "as it was filmed, it leans";
  const auto found = edit::standUprightByLines(s);
  double worst = 0;
  for (int f = kFirstYard; f < kFirstYard + kFrames; ++f) {
    // The true up, as this frame's own axes have it, in the world that was stood upright.
    const Vec3 up = s.camera->poses.at(f).rotation * standsOn(f).transpose() * Vec3::UnitY();
    worst = std::max(worst, std::acos(std::min(1.0, up.y())) / kDegree);
  }
  std::printf("upright to %.3f degrees; said: %.3f, lines %.3f off plumb\n", worst, found.sigmaDegrees,
              found.residualDegrees);
  EXPECT_LT(worst, 0.1);
  EXPECT_LT(worst, 4 * found.sigmaDegrees + 0.02);
  EXPECT_LT(edit::offPlumb(s, s.lines[1]), 0.3);
  // By what is straight up, shown on one frame.
  auto clicked = yard();
  Vec2 up;
  ASSERT_TRUE(view::Sphere(kYardWide, kYardHigh, standsOn(kFirstYard + 2)).see(Vec3::UnitY(), up));
  comp::RenderCache one(test::kBudget);
  edit::apply(clicked, nlohmann::json{{{"level", {up.x(), up.y()}}, {"frame", kFirstYard + 2}}},
              {one, folder_->path()});
  const Vec3 now =
      clicked.camera->poses.at(kFirstYard + 2).rotation * standsOn(kFirstYard + 2).transpose() * Vec3::UnitY();
  EXPECT_LT(std::acos(std::min(1.0, now.y())) / kDegree, 1e-6);
  // What says nothing is refused.
  auto few = s;
  few.lines.resize(1);
  EXPECT_NE(test::errorOf([&] { edit::standUprightByLines(few); }).find("one line"), std::string::npos);
  auto same = s;
  same.lines[1] = same.lines[0], same.lines.resize(2);
  EXPECT_NE(test::errorOf([&] { edit::standUprightByLines(same); }).find("one plane"), std::string::npos);
  same.projection = shot::Projection::Camera;
  EXPECT_NE(test::errorOf([&] { edit::standUprightByLines(same); }).find("no sphere"), std::string::npos);
}

TEST_F(TurningSphere, APatchOfTheWorldStandsStillWhileTheSphereTurns) {
  auto s = yard();
  comp::RenderCache w(test::kBudget);
  edit::takeTurns(s, estimate::turnsOf(s, w));
  // A disc seen straight down in the steadied picture: over what the sphere stands on, whichever way it is turned.
  image::Picture disc(256, 256, 4, 0.0f);
  for (int y = 0; y < 256; ++y)
    for (int x = 0; x < 256; ++x)
      if (std::hypot(x + 0.5 - 128, y + 0.5 - 128) < 60) {
        disc.pixel(x, y)[0] = 2, disc.pixel(x, y)[1] = 0, disc.pixel(x, y)[2] = 2, disc.pixel(x, y)[3] = 1;
      }
  image::WriteOptions alpha;
  alpha.alpha = true;
  image::writePicture(*folder_ / "disc.exr", disc, alpha);
  edit::apply(
      s,
      nlohmann::json{{{"element", "picture"},
                      {"frame", kFirstYard},
                      {"as",
                       {{"source",
                         {{"kind", "picture"},
                          {"files",
                           {{"files", "disc.exr"},
                            {"width", 256},
                            {"height", 256},
                            {"range", {1, 1}},
                            {"colourSpace", "scene_linear"}}},
                          {"beyond", "hold"}}},
                        {"place", {{"kind", "flat view"}, {"pitch", -90}, {"fovDegrees", 40}, {"ofWorld", true}}}}}}},
      {w, folder_->path()});
  for (const int f : {kFirstYard, kFirstYard + 6}) {
    const auto built = comp::buildFrame(evaluate::ShotEvaluator::of(s)->at(f), w, {});
    // In the first frame's axes straight down is painted; in its own axes another place is.
    Vec2 at;
    const view::Sphere sphere(kYardWide, kYardHigh, s.camera->poses.at(f).rotation);
    ASSERT_TRUE(sphere.see(Vec3(0.02, -1, 0.03), at));
    const float* p = built.pixel(static_cast<int>(at.x()), static_cast<int>(at.y()));
    EXPECT_NEAR(p[0], 2, 0.01) << f;
    ASSERT_TRUE(sphere.see(Vec3(0.4, -1, 0.0), at));
    EXPECT_LT(built.pixel(static_cast<int>(at.x()), static_cast<int>(at.y()))[0], 1.5) << f;
  }
}

TEST_F(TurningSphere, ATurnedSphereIsAsSharpAsByFfmpeg) {
  // Rendered turned, against the same turned by us and by v360, from one plain frame.
  const double yaw = 37, pitch = -22, roll = 15;
  const Mat3 turned = steered(yaw, pitch, roll);
  render(*folder_ / "plain.exr", Mat3::Identity(), Vec3::Zero(), kYardWide, kYard);
  render(*folder_ / "turned.exr", turned, Vec3::Zero(), kYardWide, kYard);
  const auto plain = image::readPicture(*folder_ / "plain.exr").picture,
             truth = image::readPicture(*folder_ / "turned.exr").picture;
  image::WriteOptions raw;
  raw.colourSpace = "raw";
  image::writePicture(*folder_ / "plain.png", plain, raw);
  const auto box = Box{0, 0, kYardWide, kYardHigh};
  comp::RenderCache cache(test::kBudget);
  const view::OutputView look{std::make_shared<view::Sphere>(kYardWide, kYardHigh, turned), box,
                              std::make_shared<view::Sphere>(kYardWide, kYardHigh)};
  for (const auto& [name, filter] : {std::pair("cubic", map::Filter::Sharp), {"lanczos", map::Filter::Sharper}}) {
    std::string printed;
    ASSERT_EQ(test::runCommand(fmt::format("ffmpeg -v error -y -i {0}/plain.png -vf "
                                           "\"v360=e:e:yaw={1}:pitch={2}:roll={3}:interp={4}\" -pix_fmt rgb48be "
                                           "{0}/theirs.png",
                                           folder_->path().string(), yaw, pitch, roll, name),
                               &printed),
              0)
        << printed;
    const auto theirs = image::readPicture(*folder_ / "theirs.png", "raw").picture;
    const double ours = psnr(comp::sphereThrough(look, plain, filter, cache), truth, 30, kYardHigh - 30),
                 their = psnr(theirs, truth, 30, kYardHigh - 30);
    std::printf("%s: ours %.2f dB from the truth, v360 %.2f\n", name, ours, their);
    EXPECT_GE(ours, their - 0.05);
  }
}

TEST_F(TurningSphere, AFlatViewThatTurnsIsSolvedAndItsCameraPutBack) {
  auto s = yard();
  s.name = "yard around";
  // Keys: it turns along a little against the sphere, and widens by nothing.
  s.flatView.width = 960, s.flatView.height = 600, s.flatView.fovDegrees = 100.0;
  s.flatView.yaw.key(kFirstYard, 20.0), s.flatView.yaw.key(kFirstYard + kFrames - 1, -8.0);
  s.flatView.pitch = -6.0;
  std::vector<int> frames;
  for (int f = kFirstYard; f < kFirstYard + kFrames; ++f) frames.push_back(f);
  comp::RenderCache w(test::kBudget);
  const auto file = edit::writeFlatPlate(s, edit::flatViewsOf(s, frames), *folder_ / "view", w);
  auto flat = shot::load(file);
  EXPECT_NEAR(flat.camera->focalMm, 18 / std::tan(50 * kDegree), 1e-6) << "its field of view is known";
  EXPECT_EQ(flat.solveSettings.focal, solve::Focal::Known);
  EXPECT_NE(test::errorOf([&] { edit::takeFlatCamera(s, file); }).find("no camera yet"), std::string::npos);
  edit::takeFollowed(flat, estimate::followShot(flat, w));
  edit::takeSolve(flat, estimate::solveShot(flat));
  shot::save(flat, file);
  EXPECT_EQ(edit::takeFlatCamera(s, file), kFrames);
  ASSERT_FALSE(s.points->empty());
  // How it turned, and how it went, up to the size of the world.
  double sum = 0, scale = 0, whole = 0;
  const Mat3 laid = standsOn(kFirstYard) * s.camera->poses.at(kFirstYard).rotation.transpose();
  for (const int f : frames) sum += std::pow(degreesBetween(laid * s.camera->poses.at(f).rotation, standsOn(f)), 2);
  const auto went = [&](int f) {
    return Vec3(laid * (s.camera->poses.at(f).position - s.camera->poses.at(kFirstYard).position));
  };
  for (const int f : frames) {
    scale += went(f).dot(placeOn(f) - placeOn(kFirstYard)), whole += went(f).squaredNorm();
  }
  scale /= whole;
  double off = 0;
  for (const int f : frames) off = std::max(off, (scale * went(f) - (placeOn(f) - placeOn(kFirstYard))).norm());
  std::printf("put back: turned to %.4f degrees RMS; went to %.4f m of %.3f\n", std::sqrt(sum / kFrames), off,
              (placeOn(frames.back()) - placeOn(kFirstYard)).norm());
  EXPECT_LT(std::sqrt(sum / kFrames), 0.03);
  EXPECT_LT(off, 0.02);
  // A point of its world stands where the sphere sees it.
  EXPECT_TRUE(s.viewAt(kFirstYard)->position().isApprox(s.camera->poses.at(kFirstYard).position));
  // What stood upright stays so.
  edit::standUpright(s, kFirstYard, {300, 60});
  const Mat3 stood = s.camera->poses.at(kFirstYard).rotation;
  edit::takeFlatCamera(s, file);
  EXPECT_LT(degreesBetween(s.camera->poses.at(kFirstYard).rotation, stood), 1e-6);
  // Written again, its shot keeps what was done in it; without how it was steered nothing is put back.
  edit::writeFlatPlate(s, edit::flatViewsOf(s, frames), *folder_ / "view", w);
  EXPECT_EQ(shot::load(file).camera->poses.size(), static_cast<size_t>(kFrames));
  // Never over what is somebody else's: a shot of that name with another plate, a steering without its shot.
  auto others = flat;
  others.setPlate(s.plate());
  std::filesystem::create_directories(*folder_ / "others");
  shot::save(others, *folder_ / "others/yard around_view.zentil");
  const auto into = [&](const char* place) {
    return test::errorOf([&] { edit::writeFlatPlate(s, edit::flatViewsOf(s, frames), *folder_ / place, w); });
  };
  EXPECT_NE(into("others").find("other pictures"), std::string::npos);
  std::filesystem::remove(*folder_ / "others/yard around_view.zentil");
  std::ofstream(*folder_ / "others/yard around_view_steered.csv") << "somebody's";
  EXPECT_NE(into("others").find("without the shot"), std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(*folder_ / fmt::format("others/yard around_view.{}.exr", kFirstYard)));
  std::filesystem::remove(*folder_ / "view/yard around_view_steered.csv");
  EXPECT_NE(test::errorOf([&] { edit::takeFlatCamera(s, file); }).find("how the view was steered"), std::string::npos);
}

TEST_F(TurningSphere, BadInputIsRefusedInWords) {
  auto s = yard();
  comp::RenderCache w(test::kBudget);
  auto camera = s;
  camera.projection = shot::Projection::Camera;
  EXPECT_NE(test::errorOf([&] { estimate::turnsOf(camera, w); }).find("no sphere"), std::string::npos);
  // Not twice as wide as high.
  image::writePicture(*folder_ / "odd.0001.exr", image::Picture(300, 200, 4, 0.5f), {});
  shot::Shot odd;
  odd.setPlate(image::openPlate(*folder_ / "odd.0001.exr"));
  odd.projection = shot::Projection::Sphere;
  EXPECT_NE(test::errorOf([&] { estimate::turnsOf(odd, w); }).find("twice as wide"), std::string::npos);
  // Nothing to follow.
  for (int f = 1; f <= 3; ++f)
    image::writePicture(*folder_ / fmt::format("even.{:04}.exr", f), image::Picture(512, 256, 4, 0.5f), {});
  shot::Shot even;
  even.setPlate(image::openPlate(*folder_ / "even.0001.exr"));
  even.projection = shot::Projection::Sphere;
  EXPECT_NE(test::errorOf([&] { estimate::turnsOf(even, w); }).find("texture"), std::string::npos);
  // A frame of nothing between others is named, and the way goes on behind it.
  for (int f = kFirstYard; f < kFirstYard + 5; ++f)
    std::filesystem::copy_file(*folder_ / fmt::format("yard.{}.exr", f), *folder_ / fmt::format("gap.{}.exr", f));
  image::writePicture(*folder_ / fmt::format("gap.{}.exr", kFirstYard + 2),
                      image::Picture(kYardWide, kYardHigh, 4, 0.2f), {});
  shot::Shot gap;
  gap.setPlate(image::openPlate(*folder_ / fmt::format("gap.{}.exr", kFirstYard)));
  gap.projection = shot::Projection::Sphere;
  const auto turns = estimate::turnsOf(gap, w);
  EXPECT_EQ(turns.lost, std::vector<int>{kFirstYard + 2});
  EXPECT_EQ(turns.at.size(), 4U);
  // Solved, handed on, spotted: words instead of nonsense.
  EXPECT_NE(test::errorOf([&] { estimate::solveShot(s); }).find("sphere"), std::string::npos);
}
