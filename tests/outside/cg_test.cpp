// The demo's CG buoy, bent by Zentil, against the same render bent by OpenCV's lens model from a supersampled picture.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <set>

#include "core/base/error.h"
#include "core/comp/cg_render.h"
#include "core/comp/layer.h"
#include "core/edit/edits.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/write.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

shot::Shot demoWith(std::initializer_list<const char*> ids) {
  shot::Shot s = shot::load(test::kPainted);
  std::erase_if(s.elements, [&](const auto& e) { return std::find(ids.begin(), ids.end(), e.id) == ids.end(); });
  for (auto& e : s.elements) e.on = true;
  return s;
}

struct Layer {
  cv::Mat rgb, alpha;
};

/// A file of R, G, B, A at its place in the plate's frame.
Layer truthOf(int frame) {
  const auto in = OIIO::ImageInput::open(test::kDemo + "/truth/cg/buoy_bent." + std::to_string(frame) + ".exr");
  const auto& s = in->spec();
  cv::Mat data(s.height, s.width, CV_32FC4), whole = cv::Mat::zeros(720, 1280, CV_32FC4);
  in->read_image(0, 0, 0, 4, OIIO::TypeDesc::FLOAT, data.data);
  data.copyTo(whole(cv::Rect(s.x, s.y, s.width, s.height)));
  Layer out;
  cv::extractChannel(whole, out.alpha, 3);
  cv::cvtColor(whole, out.rgb, cv::COLOR_RGBA2RGB);
  return out;
}

Layer layerOf(const image::Picture& p) {
  cv::Mat whole = cv::Mat::zeros(720, 1280, CV_32FC4);
  for (int y = p.data.y0; y < p.data.y1; ++y)
    for (int x = p.data.x0; x < p.data.x1; ++x)
      whole.at<cv::Vec4f>(y, x) = cv::Vec4f(p.pixel(x, y)[0], p.pixel(x, y)[1], p.pixel(x, y)[2], p.pixel(x, y)[3]);
  Layer out;
  cv::extractChannel(whole, out.alpha, 3);
  cv::cvtColor(whole, out.rgb, cv::COLOR_RGBA2RGB);
  return out;
}

/// Shift of `b` against `a` in pixels, by least squares on a's slopes (Lucas and Kanade 1981).
cv::Vec2d shiftOf(const cv::Mat& a, const cv::Mat& b) {
  cv::Mat gx, gy;
  cv::Sobel(a, gx, CV_32F, 1, 0, 3, 1 / 8.0);
  cv::Sobel(a, gy, CV_32F, 0, 1, 3, 1 / 8.0);
  const cv::Mat d = b - a;
  const double xx = gx.dot(gx), yy = gy.dot(gy), xy = gx.dot(gy), xd = gx.dot(d), yd = gy.dot(d),
               det = xx * yy - xy * xy;
  return {-(yy * xd - xy * yd) / det, -(xx * yd - xy * xd) / det};
}

/// The buoy's render cut down to the plate's frame, as somebody renders it who knows of no overscan.
image::Plate croppedRender(const element::Element& e, const std::filesystem::path& folder) {
  std::filesystem::create_directories(folder);
  const image::Plate& render = e.from<element::Cg>()->files;
  for (int f = render.range.first; f <= render.range.last; ++f) {
    const auto in = OIIO::ImageInput::open(render.fileOf(f));
    const OIIO::ImageSpec s = in->spec();
    std::vector<float> v(static_cast<size_t>(s.width) * s.height * s.nchannels);
    in->read_image(0, 0, 0, s.nchannels, OIIO::TypeDesc::FLOAT, v.data());
    const cv::Rect keep = cv::Rect(s.x, s.y, s.width, s.height) & cv::Rect(0, 0, 1280, 720);
    const cv::Mat all(s.height, s.width, CV_32FC(s.nchannels), v.data());
    cv::Mat part = cv::Mat::zeros(1, 1, all.type());
    OIIO::ImageSpec to(1, 1, s.nchannels, OIIO::TypeDesc::HALF);
    if (!keep.empty()) {
      part = all(keep - cv::Point(s.x, s.y)).clone();
      to.x = keep.x, to.y = keep.y, to.width = keep.width, to.height = keep.height;
    }
    to.full_x = to.full_y = 0, to.full_width = 1280, to.full_height = 720;
    to.channelnames = s.channelnames;
    const std::string file = (folder / fmt::format("cropped.{}.exr", f)).string();
    auto out = OIIO::ImageOutput::create(file);
    out->open(file, to);
    out->write_image(OIIO::TypeDesc::FLOAT, part.data);
  }
  return image::openPlate(folder / fmt::format("cropped.{}.exr", render.range.first), 24);
}

}  // namespace

TEST(Cg, TheBuoyIsBentAsItsTruthIs) {
  const auto s = demoWith({"e9"});
  comp::RenderCache w(size_t{500} << 20);
  double sum = 0, worst = 1e9, farthest = 0;
  int n = 0;
  for (int f = 1001; f <= 1072; f += 3, ++n) {
    const Layer truth = truthOf(f);
    const Layer ours = layerOf(test::buildLayer(s, s.elements[0], f, w, map::Filter::Sharper));
    const cv::Mat over = (truth.alpha > 0) | (ours.alpha > 0);
    const int count = cv::countNonZero(over);
    const double error = cv::norm(truth.rgb, ours.rgb, cv::NORM_L2SQR, over) / (3.0 * count);
    const double psnr = -10 * std::log10(error);
    sum += psnr, worst = std::min(worst, psnr);
    const cv::Vec2d shift = shiftOf(truth.alpha, ours.alpha);
    farthest = std::max(farthest, std::hypot(shift[0], shift[1]));
  }
  std::printf("buoy over its matte: PSNR mean %.2f dB, worst %.2f dB; edges off by %.4f px at the most\n", sum / n,
              worst, farthest);
  EXPECT_GE(worst, 42);
  EXPECT_LE(farthest, 0.05);
}

TEST(Cg, WhereThereIsNoneThePlateIsUntouched) {
  const auto s = demoWith({"e8", "e9"});
  comp::RenderCache w(size_t{500} << 20);
  const auto plate = w.frame(s.plate(), 1030);
  comp::BuildOptions sharper;
  sharper.filter = map::Filter::Sharper;
  const auto out = test::buildFrame(s, 1030, w, sharper);
  const auto shadow = test::buildLayer(s, s.elements[0], 1030, w, map::Filter::Sharper),
             buoy = test::buildLayer(s, s.elements[1], 1030, w, map::Filter::Sharper);
  const auto covers = [](const image::Picture& p, int x, int y) {
    return p.data.contains(x, y) && p.pixel(x, y)[3] > 0;
  };
  size_t same = 0, other = 0;
  for (int y = 0; y < 720; ++y)
    for (int x = 0; x < 1280; ++x) {
      if (covers(buoy, x, y) || covers(shadow, x, y)) {
        ++other;
        continue;
      }
      ASSERT_EQ(0, memcmp(out.pixel(x, y), plate->picture.pixel(x, y), 4 * sizeof(float)));
      ++same;
    }
  EXPECT_GT(same, 700000U);
  EXPECT_GT(other, 20000U);
}

TEST(Cg, ACroppedRenderIsWarnedOfOnTheFramesAndEdgesThatBruteForceFinds) {
  const test::Folder folder;
  auto s = demoWith({"e9"});
  comp::RenderCache w(size_t{800} << 20);
  EXPECT_TRUE(test::cutOffs(s, s.elements[0], w).empty()) << "with its overscan nothing is missing";
  auto cropped = s;
  test::render(cropped.elements[0]).files = croppedRender(s.elements[0], folder / "cropped");
  std::set<std::pair<int, int>> said, found;
  for (const auto& c : test::cutOffs(cropped, cropped.elements[0], w)) said.insert({c.frame, static_cast<int>(c.edge)});
  // Brute force: every pixel of the plate's frame whose straight place, by OpenCV, has buoy in the whole render and
  // lies outside the plate's frame.
  const auto camera = s.cameraAt(1001);
  const cv::Matx33d k(camera.fx, 0, camera.cx, 0, camera.fy, camera.cy, 0, 0, 1);
  const cv::Vec<double, 5> d(s.lens.k1, s.lens.k2, s.lens.p1, s.lens.p2, s.lens.k3);
  std::vector<cv::Point2d> bent, straight;
  for (int y = 0; y < 720; ++y)
    for (int x = 0; x < 1280; ++x) bent.emplace_back(x + 0.5, y + 0.5);
  cv::undistortPoints(bent, straight, k, d, cv::noArray(), k,
                      cv::TermCriteria(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 100, 1e-10));
  for (int f = 1001; f <= 1072; ++f) {
    const auto render = w.frame(test::render(s.elements[0]).files, f);
    const image::Picture& p = render->picture;
    for (size_t i = 0; i < straight.size(); ++i) {
      const cv::Point2d& q = straight[i];
      const int edge = q.x < 0 ? 0 : q.y < 0 ? 1 : q.x > 1280 ? 2 : q.y > 720 ? 3 : -1;
      if (edge < 0) continue;
      const int x = static_cast<int>(std::floor(q.x)) + 40, y = static_cast<int>(std::floor(q.y)) + 24;
      if (p.data.contains(x, y) && p.pixel(x, y)[3] > 0.01f) found.insert({f, edge});
    }
  }
  std::printf(
      "%zu frames and edges said, %zu found; %s\n", said.size(), found.size(),
      comp::wordsFor(test::cutOffs(cropped, cropped.elements[0], w), *evaluate::ShotEvaluator::of(cropped), "buoy")
          .c_str());
  EXPECT_FALSE(found.empty());
  EXPECT_EQ(said, found);
}

TEST(Cg, TheOverscanIsWhatBruteForceFindsToThePixel) {
  const auto s = demoWith({});
  const Box box = evaluate::overscan(s, {false, 1});
  const auto camera = s.cameraAt(1001);
  const cv::Matx33d k(camera.fx, 0, camera.cx, 0, camera.fy, camera.cy, 0, 0, 1);
  const cv::Vec<double, 5> d(s.lens.k1, s.lens.k2, s.lens.p1, s.lens.p2, s.lens.k3);
  std::vector<cv::Point2d> bent, straight;
  for (int i = 0; i <= 4000; ++i)
    for (const double side : {0.0, 1.0})
      bent.emplace_back(1280 * i / 4000.0, 720 * side), bent.emplace_back(1280 * side, 720 * i / 4000.0);
  cv::undistortPoints(bent, straight, k, d, cv::noArray(), k,
                      cv::TermCriteria(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 200, 1e-12));
  double x0 = 0, y0 = 0, x1 = 0, y1 = 0;
  for (const auto& q : straight)
    x0 = std::min(x0, q.x), y0 = std::min(y0, q.y), x1 = std::max(x1, q.x), y1 = std::max(y1, q.y);
  EXPECT_EQ(box, (Box{static_cast<int>(std::floor(x0)), static_cast<int>(std::floor(y0)),
                      static_cast<int>(std::ceil(x1)), static_cast<int>(std::ceil(y1))}));
  const Box both = evaluate::overscan(s, {true, 16});
  EXPECT_EQ(both.x0 + both.x1, 1280);
  EXPECT_EQ(both.y0 + both.y1, 720);
  EXPECT_EQ(both.width() % 16, 0);
  EXPECT_EQ(both.height() % 16, 0);
  EXPECT_EQ(intersect(both, box), box);
}

TEST(Cg, ARenderIsPlacedByWindowOrSizeAndRefusedWhenItFitsNothing) {
  const Box straight{-24, -14, 1305, 734};
  const auto fit = [&](int w, int h, int x = 0, int y = 0) {
    image::Plate p;
    p.pattern = "r.####.exr", p.width = w, p.height = h, p.originX = x, p.originY = y;
    return comp::fitOf(p, straight, 1280, 720);
  };
  EXPECT_EQ(fit(1280, 720).offset, Vec2(0, 0));
  EXPECT_EQ(fit(1360, 768).offset, Vec2(-40, -24));
  EXPECT_EQ(fit(1360, 768, -30, -20).offset, Vec2(-30, -20));
  EXPECT_DOUBLE_EQ(fit(640, 360).scale, 2);
  EXPECT_DOUBLE_EQ(fit(2560, 1440).scale, 0.5);
  EXPECT_NEAR(fit(665, 374).scale, 2, 0.01);
  EXPECT_EQ(fit(665, 374).offset, Vec2(-24, -14));
  EXPECT_THROW(fit(900, 900), Error);
}

TEST(Cg, FramesAreHeldLoopedOrNothingBeyondTheRender) {
  element::Cg r;
  r.files.range = {1, 10};
  r.shift = 1000;
  EXPECT_EQ(r.frameAt(1004), 4);
  EXPECT_EQ(r.frameAt(1000), std::nullopt);
  r.beyond = element::Beyond::Hold;
  EXPECT_EQ(r.frameAt(1000), 1);
  EXPECT_EQ(r.frameAt(1050), 10);
  r.beyond = element::Beyond::Loop;
  EXPECT_EQ(r.frameAt(1011), 1);
  EXPECT_EQ(r.frameAt(1000), 10);
}

TEST(Cg, UnmultipliedColourIsNoticedAndMultiplied) {
  const test::Folder folder;
  auto s = demoWith({"e9"});
  comp::RenderCache w(size_t{300} << 20);
  const auto render = w.frame(test::render(s.elements[0]).files, 1030);
  EXPECT_FALSE(comp::looksUnpremultiplied(render->picture));
  image::Picture plain = render->picture;
  for (size_t i = 0; i < plain.values.size(); i += 4)
    for (size_t c = 0; c < 3; ++c)
      if (plain.values[i + 3] > 0) plain.values[i + c] /= plain.values[i + 3];
  EXPECT_TRUE(comp::looksUnpremultiplied(plain));
}

/// CG rendered by POV-Ray through the camera that was handed on lands where the shot's points are: straight, and laid
/// into the plate through the lens.
TEST(Cg, ARenderThroughTheCameraThatWasHandedOnLands) {
  const test::Folder folder;
  shot::Shot s = demoWith({});
  exchange::exportShot(s, folder / "export");
  std::vector<Vec3> places;
  std::string scene;
  // Small even balls at the set's points that lie well within the picture and apart.
  constexpr int kFrame = 1036;
  std::vector<Vec2> seen;
  for (const auto& point : *s.points) {
    Vec2 straight;
    if (!s.cameraAt(kFrame).project(point.at, straight) ||
        !s.frameBox().grown(-60).contains(straight.x(), straight.y()))
      continue;
    if (std::any_of(seen.begin(), seen.end(), [&](const Vec2& o) { return (o - straight).norm() < 60; })) continue;
    seen.push_back(straight), places.push_back(point.at);
    const double radius = 8 / s.cameraAt(kFrame).fx * s.cameraAt(kFrame).depthOf(point.at);
    scene += fmt::format("sphere {{ <{},{},{}>, {} pigment {{ rgb 1 }} finish {{ ambient 1 diffuse 0 }} no_shadow }}\n",
                         point.at.x(), point.at.y(), -point.at.z(), radius);
  }
  ASSERT_GE(places.size(), 20U);
  std::ofstream(folder / "balls.inc") << "global_settings { ambient_light 1 }\n" << scene;
  std::string printed;
  ASSERT_EQ(test::runCommand(fmt::format("{}/scene/from_camera.sh {}/export/boathouse_camera.csv {} {}/balls.inc "
                                         "1280x720 {}/balls.{}.exr",
                                         test::kDemo, folder.path().string(), kFrame, folder.path().string(),
                                         folder.path().string(), kFrame),
                             &printed),
            0)
      << printed;
  const auto centroid = [](const image::Picture& p, const Vec2& about) {
    Vec2 sum = Vec2::Zero();
    double weight = 0;
    for (int y = static_cast<int>(about.y()) - 14; y <= static_cast<int>(about.y()) + 14; ++y)
      for (int x = static_cast<int>(about.x()) - 14; x <= static_cast<int>(about.x()) + 14; ++x) {
        const double a = p.data.contains(x, y) ? p.pixel(x, y)[3] : 0;
        sum += a * Vec2(x + 0.5, y + 0.5), weight += a;
      }
    return Vec2(sum / weight);
  };
  const auto in = OIIO::ImageInput::open((folder / fmt::format("balls.{}.exr", kFrame)).string());
  image::Picture render(1280, 720, 4, 0.0f);
  ASSERT_EQ(in->spec().nchannels, 4);
  in->read_image(0, 0, 0, 4, OIIO::TypeDesc::FLOAT, render.values.data());
  comp::RenderCache w(test::kBudget);
  edit::apply(s,
              nlohmann::json{{{"element", "cg"},
                              {"frame", kFrame},
                              {"as",
                               {{"source",
                                 {{"kind", "cg"},
                                  {"files",
                                   {{"files", "balls.####.exr"},
                                    {"width", 1280},
                                    {"height", 720},
                                    {"range", {kFrame, kFrame}},
                                    {"colourSpace", "scene_linear"}}},
                                  {"beyond", "hold"}}}}}}},
              {w, folder.path()});
  const auto added = comp::buildAdded(evaluate::ShotEvaluator::of(s)->at(kFrame), w, map::Filter::Sharper);
  std::vector<double> straightOff, plateOff;
  for (size_t i = 0; i < places.size(); ++i) {
    Vec2 plate;
    ASSERT_TRUE(s.lensAt(kFrame).plateFromStraight(seen[i], plate));
    straightOff.push_back((centroid(render, seen[i]) - seen[i]).norm());
    plateOff.push_back((centroid(added, plate) - plate).norm());
  }
  std::sort(straightOff.begin(), straightOff.end()), std::sort(plateOff.begin(), plateOff.end());
  std::printf("%zu balls: straight off by %.3f px in the median, %.3f at the worst; in the plate %.3f and %.3f\n",
              places.size(), straightOff[places.size() / 2], straightOff.back(), plateOff[places.size() / 2],
              plateOff.back());
  EXPECT_LT(straightOff.back(), 0.05);
  EXPECT_LT(plateOff.back(), 0.05);
}
