#include "tests/support/rendered_move.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <array>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <map>
#include <opencv2/imgcodecs.hpp>
#include <stdexcept>

namespace fs = std::filesystem;

namespace zentil::test {
namespace {

constexpr double kDegree = M_PI / 180;
/// Moments within the exposure that are averaged, each shifted by a part of a pixel.
constexpr int kMoments = 3;
constexpr double kShutter = 0.5;  // of a frame: 180 degrees
/// Straight pixels rendered beyond each edge of the plate: barrel distortion sees further.
constexpr int kBorder = 40;

// Axes as Zentil has them (right-handed, Y up); POV-Ray is left-handed, so the third is written with its sign changed.
const char* const kHead = R"(
global_settings { assumed_gamma 1 }
light_source { <30,50,-40> rgb 1.0 }
#macro Rough(A, B, S) pigment { granite scale S color_map { [0 rgb A] [0.5 rgb B] [1 rgb A*1.4] } } finish { ambient 0.35 diffuse 0.65 } #end
#macro Bricks(A, B, W, H) pigment { brick pigment { rgb A*0.6 } pigment { granite scale 0.4 color_map { [0 rgb A] [1 rgb B] } } brick_size <W,H,W> mortar 0.02 } finish { ambient 0.35 diffuse 0.65 } #end
sky_sphere { pigment { gradient y color_map { [0 rgb <0.75,0.8,0.85>] [1 rgb <0.3,0.45,0.7>] } } }
)";

// A yard some 12 m deep: floor, walls, crates at many depths.
const char* const kYard = R"(
plane { y, 0 texture { Rough(<0.22,0.21,0.18>, <0.5,0.46,0.4>, 0.9) } }
box { <-7,0,6>, <7,4,6.4> texture { Bricks(<0.45,0.24,0.18>, <0.7,0.48,0.38>, 0.6, 0.2) } }
box { <-7.4,0,-12>, <-7,3,6> texture { Rough(<0.2,0.32,0.22>, <0.5,0.6,0.45>, 1.0) } }
box { <7,0,-12>, <7.4,3.5,6> texture { Rough(<0.4,0.36,0.2>, <0.72,0.66,0.5>, 1.1) } }
box { <-0.6,0,-0.6>, <0.6,1.2,0.6> rotate 25*y translate <-2.4,0,1.5> texture { Rough(<0.35,0.2,0.1>, <0.62,0.45,0.3>, 0.5) } }
box { <-0.5,0,-0.5>, <0.5,0.8,0.5> rotate -15*y translate <1.9,0,-0.5> texture { Rough(<0.2,0.2,0.36>, <0.5,0.5,0.7>, 0.4) } }
box { <-0.4,0,-0.4>, <0.4,1.6,0.4> rotate 40*y translate <3.6,0,3.2> texture { Rough(<0.3,0.3,0.3>, <0.7,0.7,0.66>, 0.6) } }
box { <-0.7,0,-0.4>, <0.7,0.6,0.4> rotate 10*y translate <-0.6,0,3.9> texture { Bricks(<0.5,0.45,0.3>, <0.75,0.7,0.5>, 0.3, 0.12) } }
box { <-0.35,0,-0.35>, <0.35,0.7,0.35> rotate 60*y translate <-4.6,0,-1.6> texture { Rough(<0.4,0.18,0.15>, <0.7,0.4,0.35>, 0.4) } }
cylinder { <4.9,0,0.3>, <4.9,3.2,0.3>, 0.12 texture { Rough(<0.3,0.3,0.33>, <0.6,0.6,0.65>, 0.3) } }
)";
// A painted box that rolls across, with its shadow.
const char* const kRolling = R"(
box { <-0.5,-0.5,-0.5>, <0.5,0.5,0.5> rotate -T*300*z translate <-4.5+T*9,0.55,-1.8> pigment { checker rgb <0.8,0.2,0.1> rgb <0.15,0.3,0.7> scale 0.31 } finish { ambient 0.35 diffuse 0.65 } }
)";
// One wall and nothing else.
const char* const kWall = R"(
box { <-20,-10,6>, <20,14,6.4> texture { Bricks(<0.45,0.26,0.2>, <0.72,0.5,0.4>, 0.7, 0.22) } }
box { <-3,1,5.99>, <-1.2,2.4,6.01> texture { Rough(<0.2,0.3,0.4>, <0.6,0.65,0.7>, 0.4) } }
box { <1.5,0.4,5.99>, <2.6,2.9,6.01> texture { Rough(<0.3,0.2,0.12>, <0.6,0.5,0.35>, 0.5) } }
)";
// Posts nearby, hills far away.
const char* const kHills = R"(
plane { y, 0 texture { Rough(<0.2,0.26,0.12>, <0.42,0.48,0.26>, 3) } }
#declare I = 0; #while (I < 9) sphere { <-160+40*I,-18,170+15*mod(I*7,5)>, 36+5*mod(I*3,4) texture { Rough(<0.16,0.22,0.14>, <0.45,0.5,0.4>, 14) } } #declare I = I + 1; #end
#declare I = 0; #while (I < 5) box { <-0.15,0,-0.15>, <0.15,1.5,0.15> translate <-4+2.1*I,0,2+1.3*mod(I*3,4)> texture { Rough(<0.3,0.2,0.12>, <0.65,0.55,0.4>, 0.3) } } #declare I = I + 1; #end
)";
// A smooth room with a few marks on its walls and some things on its floor.
const char* const kPlain = R"(
#macro Smooth(A) pigment { rgb A } finish { ambient 0.35 diffuse 0.65 } #end
plane { y, 0 texture { Smooth(<0.4,0.4,0.42>) } }
box { <-7,0,6>, <7,4,6.4> texture { Smooth(<0.62,0.6,0.55>) } }
box { <-7.4,0,-12>, <-7,4,6> texture { Smooth(<0.5,0.55,0.52>) } }
box { <7,0,-12>, <7.4,4,6> texture { Smooth(<0.55,0.52,0.45>) } }
#declare R = seed(7);
#declare I = 0; #while (I < 60) sphere { <-5.5+11*rand(R),0.3+3.3*rand(R),6>, 0.03+0.04*rand(R) texture { Smooth(<0.15,0.15,0.2>) } } #declare I = I + 1; #end
#declare I = 0; #while (I < 50) cylinder { 0, <0,0.004,0>, 0.04+0.05*rand(R) translate <-5+10*rand(R),0,-2+7*rand(R)> texture { Smooth(<0.15,0.12,0.1>) } } #declare I = I + 1; #end
box { <-0.5,0,-0.5>, <0.5,1,0.5> rotate 25*y translate <-2,0,1.5> texture { Smooth(<0.5,0.3,0.2>) } }
box { <-0.4,0,-0.4>, <0.4,0.7,0.4> rotate -15*y translate <1.7,0,0> texture { Smooth(<0.25,0.3,0.5>) } }
)";

std::string textOf(const std::string& scene) {
  static const std::map<std::string, std::string> all = {{"yard", kYard},
                                                         {"rolling", std::string(kYard) + kRolling},
                                                         {"wall", kWall},
                                                         {"hills", kHills},
                                                         {"plain", kPlain}};
  return kHead + all.at(scene);
}

/// Turned to the right by yaw, up by pitch, clockwise by roll (degrees).
Mat3 turned(double yaw, double pitch, double roll = 0) {
  return (Eigen::AngleAxisd(-yaw * kDegree, Vec3::UnitY()) * Eigen::AngleAxisd(pitch * kDegree, Vec3::UnitX()) *
          Eigen::AngleAxisd(-roll * kDegree, Vec3::UnitZ()))
      .toRotationMatrix();
}
/// What looks from a place at another.
Mat3 lookingAt(const Vec3& from, const Vec3& at) {
  const Vec3 back = (from - at).normalized(), right = Vec3::UnitY().cross(back).normalized();
  Mat3 out;
  out << right, back.cross(right), back;
  return out;
}
std::string povVector(const Vec3& v) { return fmt::format("<{:.10g},{:.10g},{:.10g}>", v.x(), v.y(), -v.z()); }

/// Moments within a frame's exposure, in frames.
double momentOf(int k) { return kShutter * ((k + 0.5) / kMoments - 0.5); }

/// A picture read between its pixels by Catmull-Rom's cubics, at exactly this place (OpenCV's remap would round it to a
/// 32nd of a pixel, the same over whole areas). Positions count from the middle of the first pixel.
cv::Vec3f readAt(const cv::Mat& picture, double x, double y) {
  const auto weights = [](double t) {
    return std::array<double, 4>{((-0.5 * t + 1) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1,
                                 ((-1.5 * t + 2) * t + 0.5) * t, (0.5 * t - 0.5) * t * t};
  };
  const int left = static_cast<int>(std::floor(x)), top = static_cast<int>(std::floor(y));
  const auto across = weights(x - left), down = weights(y - top);
  cv::Vec3f out(0, 0, 0);
  for (int j = 0; j < 4; ++j)
    for (int i = 0; i < 4; ++i) {
      const int u = std::clamp(left + i - 1, 0, picture.cols - 1), v = std::clamp(top + j - 1, 0, picture.rows - 1);
      out += picture.at<cv::Vec3f>(v, u) *
             static_cast<float>(across[static_cast<size_t>(i)] * down[static_cast<size_t>(j)]);
    }
  return out;
}

/// POV-Ray gives up now and then where its threads start too slowly on a busy machine: then it is asked again.
void run(const std::string& command) {
  constexpr int kTries = 5;
  for (int i = 0; i < kTries; ++i)
    if (std::system(command.c_str()) == 0) return;
  throw std::runtime_error("failed: " + command);
}

}  // namespace

camera::CameraPath RenderedMove::truth() const {
  camera::CameraPath out;
  out.backWidthMm = kBackMm, out.backHeightMm = kBackMm * kHeight / kWidth;
  out.centreOffsetPx = centreOffsetPx;
  for (int f = kFirst; f <= last(); ++f) {
    // What is seen is the mean over the exposure: of a shake that is not its middle.
    camera::Pose mean{Vec3::Zero(), Mat3::Zero(), 0};
    for (int k = 0; k < kMoments; ++k) {
      const double t = (f - kFirst + momentOf(k)) / (frames - 1);
      mean.position += position(t) / kMoments, mean.rotation += rotation(t) / kMoments,
          mean.focalMm += focalMm(t) / kMoments;
    }
    const Eigen::JacobiSVD<Mat3> svd(mean.rotation, Eigen::ComputeFullU | Eigen::ComputeFullV);
    mean.rotation = svd.matrixU() * svd.matrixV().transpose();
    out.poses[f] = mean;
  }
  out.focalMm = focalMm(0);
  return out;
}

lens::Lens RenderedMove::lens() const {
  lens::Lens out;
  out.k1 = k1;
  return out;
}

const std::vector<RenderedMove>& renderedMoves() {
  static const auto all = [] {
    const auto constant = [](double mm) { return [mm](double) { return mm; }; };
    const auto still = [](const Vec3& at) { return [at](double) { return at; }; };
    std::vector<RenderedMove> m;
    m.push_back({"dolly_in",
                 "yard",
                 40,
                 [](double t) { return Vec3(0.2, 1.5, 9 - 2.6 * t); },
                 [](double) { return turned(0, -5); },
                 constant(35),
                 -0.04,
                 {6, -4}});
    m.push_back({"dolly_rolling",
                 "rolling",
                 48,
                 [](double t) { return Vec3(0, 1.6, 9 - 2.6 * t); },
                 [](double) { return turned(0, -4); },
                 constant(50),
                 -0.03,
                 {0, 0}});
    m.push_back({"crane",
                 "yard",
                 32,
                 [](double t) { return Vec3(0.5 * t, 0.9 + 2.4 * t, 7.5); },
                 [](double t) { return turned(-2 * t, 1 - 14 * t); },
                 constant(28),
                 -0.06,
                 {-8, 5}});
    m.push_back({"arc",
                 "yard",
                 32,
                 [](double t) {
                   const double a = (-16 + 32 * t) * kDegree;
                   return Vec3(7.5 * std::sin(a), 1.7, -1.5 + 8.5 * std::cos(a));
                 },
                 [](double t) {
                   const double a = (-16 + 32 * t) * kDegree;
                   return lookingAt({7.5 * std::sin(a), 1.7, -1.5 + 8.5 * std::cos(a)}, {0, 0.9, -1.5});
                 },
                 constant(32),
                 -0.05,
                 {5, 6}});
    m.push_back({"pan",
                 "yard",
                 32,
                 still({0, 1.6, 6.5}),
                 [](double t) { return turned(-18 + 36 * t, -4 + 2 * t); },
                 constant(30),
                 -0.05,
                 {4, -6}});
    m.push_back({"tilt",
                 "yard",
                 28,
                 still({0.5, 1.6, 5.5}),
                 [](double t) { return turned(3 * t, -20 + 22 * t, 2 * t); },
                 constant(26),
                 -0.05,
                 {-5, 3}});
    m.push_back({"zoom",
                 "yard",
                 32,
                 [](double t) { return Vec3(-0.9 + 1.8 * t, 1.5, 8); },
                 [](double t) { return turned(5 - 10 * t, -4); },
                 [](double t) { return 30 * std::pow(1.6, t); },
                 -0.03,
                 {0, 0}});
    m.push_back({"handheld",
                 "yard",
                 44,
                 [](double t) {
                   return Vec3(-1.2 + 2.6 * t + 0.03 * std::sin(29 * t), 1.6 + 0.035 * std::sin(41 * t), 8 - 1.2 * t);
                 },
                 [](double t) {
                   return turned(4 - 9 * t + 0.7 * std::sin(23 * t), -5 + 0.6 * std::sin(31 * t + 1),
                                 0.5 * std::sin(17 * t));
                 },
                 constant(30),
                 -0.05,
                 {7, 2}});
    m.push_back({"planar",
                 "wall",
                 32,
                 [](double t) { return Vec3(-2 + 4 * t, 1.3 + 0.5 * t, 0.6 - 1.2 * t); },
                 [](double t) { return turned(16 - 30 * t, 5 - 10 * t, 3 * t); },
                 constant(30),
                 -0.04,
                 {4, 3}});
    m.push_back({"far_background",
                 "hills",
                 32,
                 [](double t) { return Vec3(-0.6 + 1.2 * t, 1.6, 6); },
                 [](double t) { return turned(-3 + 6 * t, 2); },
                 constant(30),
                 -0.04,
                 {-4, 4}});
    m.push_back({"low_texture",
                 "plain",
                 32,
                 [](double t) { return Vec3(-1.1 + 2.2 * t, 1.5 + 0.3 * t, 7.5 - 0.6 * t); },
                 [](double t) { return turned(6 - 12 * t, -5); },
                 constant(30),
                 -0.05,
                 {5, -3}});
    m.push_back({"still",
                 "rolling",
                 28,
                 still({0, 1.6, 8}),
                 [](double) { return turned(0, -4); },
                 constant(35),
                 -0.03,
                 {0, 0}});
    return m;
  }();
  return all;
}

std::vector<Vec3> placesOf(const RenderedMove& move) {
  std::vector<Vec3> out;
  const auto add = [&](double x, double y, double povZ) { out.emplace_back(x, y, -povZ); };
  if (move.scene == "wall") {
    for (int i = 0; i < 21; ++i)
      for (int j = 0; j < 13; ++j) add(-8 + 0.8 * i, -3 + 0.7 * j, 6);
    return out;
  }
  if (move.scene == "hills") {
    for (int i = 0; i < 9; ++i)
      for (int j = 0; j < 6; ++j) add(-4 + i, 0, -2 + 1.5 * j), add(-60 + 15 * i, 4 + 2 * j, 135);
    for (int i = 0; i < 5; ++i)
      for (int j = 0; j < 4; ++j) add(-4 + 2.1 * i, 0.3 + 0.4 * j, 1.85 + 1.3 * ((i * 3) % 4));
    return out;
  }
  for (int i = 0; i < 12; ++i)
    for (int j = 0; j < 9; ++j) {
      add(-5.5 + i, 0, -5 + 1.2 * j);
      if (j < 6)
        add(-5.5 + i, 0.3 + 0.5 * j, 6), add(-7, 0.3 + 0.45 * j, -4 + 0.8 * i), add(7, 0.3 + 0.5 * j, -4 + 0.8 * i);
    }
  return out;
}

std::vector<set::Surface> surfacesOf(const RenderedMove& move) {
  if (move.scene != "yard") throw std::invalid_argument(move.scene);
  std::vector<set::Surface> out;
  const auto add = [&](set::SurfaceKind kind, const Vec3& at, const Vec3& size, double povTurn = 0) {
    set::Surface s;
    s.kind = kind, s.size = size, s.id = s.name = fmt::format("s{}", out.size() + 1);
    s.position = Vec3(at.x(), at.y(), -at.z());
    // POV-Ray turns z towards x.
    s.turn = Eigen::AngleAxisd(-povTurn * kDegree, Vec3::UnitY()).toRotationMatrix();
    out.push_back(s);
  };
  using enum set::SurfaceKind;
  add(Box, {0, -0.05, 0}, {200, 0.1, 200});
  add(Box, {0, 2, 6.2}, {14, 4, 0.4});
  add(Box, {-7.2, 1.5, -3}, {0.4, 3, 18});
  add(Box, {7.2, 1.75, -3}, {0.4, 3.5, 18});
  add(Box, {-2.4, 0.6, 1.5}, {1.2, 1.2, 1.2}, 25);
  add(Box, {1.9, 0.4, -0.5}, {1, 0.8, 1}, -15);
  add(Box, {3.6, 0.8, 3.2}, {0.8, 1.6, 0.8}, 40);
  add(Box, {-0.6, 0.3, 3.9}, {1.4, 0.6, 0.8}, 10);
  add(Box, {-4.6, 0.35, -1.6}, {0.7, 0.7, 0.7}, 60);
  add(Cylinder, {4.9, 1.6, 0.3}, {0.24, 3.2, 0.24});
  return out;
}

fs::path render(const RenderedMove& move, const fs::path& folder) {
  const fs::path out = folder / move.name;
  const fs::path first = out / fmt::format("plate.{}.jpg", RenderedMove::kFirst);
  if (fs::exists(out / "done")) return first;
  fs::create_directories(out);
  constexpr int w = RenderedMove::kWidth, h = RenderedMove::kHeight, wide = w + 2 * kBorder, high = h + 2 * kBorder;
  cv::RNG grain(17);
  for (int f = RenderedMove::kFirst; f <= move.last(); ++f) {
    cv::Mat sum = cv::Mat::zeros(h, w, CV_32FC3);
    for (int k = 0; k < kMoments; ++k) {
      // Shifts by thirds of a pixel: no two share a row or a column. The last mirrors the first, so that what is
      // blurred lies even about where it is in the middle of the exposure, as a shutter blurs it.
      const Vec2 shift = Vec2(k - 1, k - 1) / 3.0;
      const double t = (f - RenderedMove::kFirst + momentOf(k)) / (move.frames - 1);
      const Mat3 r = move.rotation(t);
      const double perMm = RenderedMove::kBackMm / w, focal = move.focalMm(t) / perMm;
      // Straight pixels about the optical centre, which lies in the middle of what is rendered.
      std::ofstream(out / "scene.pov") << fmt::format("#version 3.7; #declare T = {:.10g};\n", t) << textOf(move.scene)
                                       << fmt::format(
                                              "camera {{ perspective location {} right {} up {} direction {} }}\n",
                                              povVector(move.position(t)), povVector(r.col(0) * (wide / focal)),
                                              povVector(r.col(1) * (high / focal)), povVector(-r.col(2)));
      const std::string state = (out / "moment.ppm").string();
      run(fmt::format("povray +W{} +H{} -A -D +WT1 +FP16 File_Gamma=1.0 +O{} +I{} >{} 2>&1", wide, high, state,
                      (out / "scene.pov").string(), (out / "pov.log").string()));
      cv::Mat straight;
      cv::imread(state, cv::IMREAD_UNCHANGED).convertTo(straight, CV_32FC3, 1 / 65535.0);
      for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
          // Where the plate's pixel lies on the straight picture: Brown's model solved by repeating (Brown 1966).
          const Vec2 bent((x + 0.5 + shift.x() - w / 2.0 - move.centreOffsetPx.x()) / focal,
                          (y + 0.5 + shift.y() - h / 2.0 - move.centreOffsetPx.y()) / focal);
          Vec2 s = bent;
          for (int i = 0; i < 12; ++i) s = bent / (1 + move.k1 * s.squaredNorm());
          sum.at<cv::Vec3f>(y, x) +=
              readAt(straight, s.x() * focal + wide / 2.0 - 0.5, s.y() * focal + high / 2.0 - 0.5) / kMoments;
        }
    }
    cv::Mat noise(h, w, CV_32FC3);
    grain.fill(noise, cv::RNG::NORMAL, 0, RenderedMove::kGrain);
    sum += noise;
    cv::Mat coded(h, w, CV_8UC3);
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x)
        for (int c = 0; c < 3; ++c) {
          const double v = std::clamp(static_cast<double>(sum.at<cv::Vec3f>(y, x)[c]), 0.0, 1.0);
          // The curve of sRGB (IEC 61966-2-1).
          const double s = v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
          coded.at<cv::Vec3b>(y, x)[c] = static_cast<uchar>(std::lround(255 * s));
        }
    cv::imwrite((out / fmt::format("plate.{}.jpg", f)).string(), coded, {cv::IMWRITE_JPEG_QUALITY, 92});
  }
  for (const char* rest : {"scene.pov", "moment.ppm", "pov.log"}) fs::remove(out / rest);
  std::ofstream(out / "done") << "rendered\n";
  return first;
}

}  // namespace zentil::test
