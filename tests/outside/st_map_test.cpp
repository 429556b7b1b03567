// ST maps that Zentil writes, read by other programs: oiiotool's st_warp and OpenCV's remap.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "core/comp/cg_render.h"
#include "core/comp/layer.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/lens/lens_file.h"
#include "core/lens/st_maps.h"
#include "core/output/lens_files.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// A straight picture with overscan, and the same redistorted by Zentil.
struct Case {
  shot::Shot shot = shot::load(test::kPainted);
  Box box = evaluate::overscan(shot, {true, 2});
  image::Picture straight, bent;

  explicit Case(map::Filter filter) {
    const auto plate = image::readPicture(test::kDemo + "/truth/bare/bare.1036.exr").picture;
    straight = map::resample(plate, map::Redistort(shot.lensAt(1036)), box, box, map::Filter::Sharp);
    bent = map::resample(straight, map::Undistort(shot.lensAt(1036)), shot.frameBox(), shot.frameBox(), filter);
    // From here on counted from its own corner, as a file of it is.
    straight.data = straight.display = {0, 0, box.width(), box.height()};
  }
};

struct Difference {
  double mean = 0, most = 0;
};

/// Over the frame but for a border of some pixels, where programs differ in what they take to lie outside.
Difference between(const image::Picture& a, const image::Picture& b) {
  Difference d;
  size_t n = 0;
  for (int y = 8; y < 712; ++y)
    for (int x = 8; x < 1272; ++x)
      for (int c = 0; c < 3; ++c, ++n) {
        const double v = std::abs(a.pixel(x, y)[c] - b.pixel(x, y)[c]);
        d.mean += v, d.most = std::max(d.most, v);
      }
  d.mean /= static_cast<double>(n);
  return d;
}

class StWarp : public testing::TestWithParam<output::Origin> {};

}  // namespace

TEST_P(StWarp, OiiotoolBendsAStraightPictureAsZentilDoes) {
  const test::Folder folder;
  const Case c(map::Filter::Sharp);
  image::WriteOptions options;
  options.half = false;
  image::writePicture(folder / "straight.exr", c.straight, options);
  output::writeStMaps(test::stMapsOf(c.shot, 1036, c.box, GetParam()), folder.path(), "m");
  const std::string flip = GetParam() == output::Origin::Bottom ? ":flip_t=1" : "";
  std::string printed;
  ASSERT_EQ(0, test::runCommand("oiiotool " + (folder / "straight.exr").string() + " " +
                                    (folder / "m_redistort.exr").string() + " --st_warp:filter=catmull-rom" + flip +
                                    " -d float -o " + (folder / "warped.exr").string(),
                                &printed))
      << printed;
  const auto d = between(image::readPicture(folder / "warped.exr").picture, c.bent);
  std::printf("oiiotool's st_warp, origin at the %s: mean %.6f, at the most %.4f\n",
              GetParam() == output::Origin::Top ? "top" : "bottom", d.mean, d.most);
  EXPECT_LE(d.mean, 1e-3);
  EXPECT_LE(d.most, 0.02);
}
INSTANTIATE_TEST_SUITE_P(Origins, StWarp, testing::Values(output::Origin::Top, output::Origin::Bottom));

TEST(StMaps, OpenCvsRemapAgrees) {
  const Case c(map::Filter::Draft);
  const auto maps = test::stMapsOf(c.shot, 1036, c.box, output::Origin::Top);
  cv::Mat x(720, 1280, CV_32F), y(720, 1280, CV_32F), out;
  for (int j = 0; j < 720; ++j)
    for (int i = 0; i < 1280; ++i) {
      // OpenCV counts from the centre of the first pixel.
      x.at<float>(j, i) = maps.redistort.pixel(i, j)[0] * static_cast<float>(c.box.width()) - 0.5f;
      y.at<float>(j, i) = maps.redistort.pixel(i, j)[1] * static_cast<float>(c.box.height()) - 0.5f;
    }
  const cv::Mat from(c.box.height(), c.box.width(), CV_32FC4, const_cast<float*>(c.straight.values.data()));
  cv::remap(from, out, x, y, cv::INTER_LINEAR);
  image::Picture theirs(1280, 720, 4);
  std::copy_n(out.ptr<float>(), theirs.values.size(), theirs.values.data());
  const auto d = between(theirs, c.bent);
  std::printf("cv::remap: mean %.6f, at the most %.4f\n", d.mean, d.most);
  EXPECT_LE(d.mean, 1e-3);
  EXPECT_LE(d.most, 0.02);  // OpenCV rounds positions to 1/32 px
}

TEST(StMaps, ThereAndBackIsTheSamePlace) {
  const Case c(map::Filter::Draft);
  const auto maps = test::stMapsOf(c.shot, 1036, c.box, output::Origin::Top);
  double worst = 0;
  for (int y = 0; y < 720; y += 3)
    for (int x = 0; x < 1280; x += 3) {
      const float* st = maps.redistort.pixel(x, y);
      ASSERT_EQ(st[3], 1);
      // The other map, read linearly between its pixels.
      const double u = st[0] * c.box.width() - 0.5, v = st[1] * c.box.height() - 0.5;
      const int i = std::clamp(static_cast<int>(std::floor(u)), 0, c.box.width() - 2),
                j = std::clamp(static_cast<int>(std::floor(v)), 0, c.box.height() - 2);
      Vec2 q = Vec2::Zero();
      for (const int b : {0, 1})
        for (const int a : {0, 1}) {
          const float* p = maps.undistort.pixel(i + a, j + b);
          q += (a ? u - i : 1 - (u - i)) * (b ? v - j : 1 - (v - j)) * Vec2(p[0] * 1280, p[1] * 720);
        }
      worst = std::max(worst, (q - Vec2(x + 0.5, y + 0.5)).norm());
    }
  std::printf("undistort after redistort: off by %.5f px at the most\n", worst);
  EXPECT_LE(worst, 0.01);
}

TEST(StMaps, TheCommandWritesEverythingAnotherProgramAsksFor) {
  const test::Folder folder;
  std::string printed;
  ASSERT_EQ(0, test::runCommand(std::string(ZENTIL_BATCH) + " lens " + test::kPainted + " --out " +
                                    folder.path().string() + " --json",
                                &printed))
      << printed;
  const auto said = nlohmann::json::parse(printed);
  EXPECT_EQ(said["straight"][0], 1330);
  for (const auto& f : said["files"]) EXPECT_TRUE(std::filesystem::exists(f.get<std::string>())) << f;
  const auto shot = shot::load(test::kPainted);
  for (const char* name : {"boathouse_lens.json", "boathouse_lens.yml"}) {
    const auto lens = lens::readLens(folder / name);
    EXPECT_EQ(lens.lens.k1, shot.lens.k1);
    EXPECT_EQ(lens.lens.k2, shot.lens.k2);
  }
  std::ifstream in(folder / "boathouse_render_sheet.json");
  const auto sheet = nlohmann::json::parse(in);
  // The sheet's field of view by its own film back, and the plate's from the shot: half a frame is focal length times a
  // tangent (pinhole camera; Hartley and Zisserman, Multiple View Geometry, chapter 6).
  const double wide = sheet["resolution"][0].get<double>() / 1280 * 24.89;
  EXPECT_NEAR(sheet["film_back_mm"][0].get<double>(), wide, 1e-9);
  EXPECT_NEAR(std::tan(sheet["field_of_view_degrees"][0].get<double>() * M_PI / 360) * 2 * 24, wide, 1e-9);
}

/// Maps of a lens as OpenCV makes them, read back as a lens.
class FromOpenCv : public testing::TestWithParam<std::tuple<bool, bool, bool>> {};

TEST_P(FromOpenCv, APairReproducesItsLens) {
  const auto [top, undistort, redistort] = GetParam();
  const test::Folder folder;
  const int w = 1280, h = 720, sw = 1408, sh = 792;
  const cv::Mat k = (cv::Mat_<double>(3, 3) << 1230, 0, 645.5, 0, 1230, 355.5, 0, 0, 1),
                d = (cv::Mat_<double>(1, 5) << -0.12, 0.03, 0.0008, -0.0005, 0);
  cv::Mat straight = k.clone(), x, y;
  straight.at<double>(0, 2) += (sw - w) / 2.0, straight.at<double>(1, 2) += (sh - h) / 2.0;
  cv::initUndistortRectifyMap(k, d, cv::noArray(), straight, {sw, sh}, CV_32FC1, x, y);
  image::WriteOptions options;
  options.half = false, options.alpha = false, options.colourSpace = "raw";
  const auto put = [&](float* p, double s, double t) {
    p[0] = static_cast<float>(s), p[1] = static_cast<float>(top ? t : 1 - t), p[3] = 1;
  };
  image::Picture u(sw, sh, 4), r(w, h, 4);
  for (int j = 0; j < sh; ++j)
    for (int i = 0; i < sw; ++i) put(u.pixel(i, j), (x.at<float>(j, i) + 0.5) / w, (y.at<float>(j, i) + 0.5) / h);
  std::vector<cv::Point2f> at, to;
  for (int j = 0; j < h; ++j)
    for (int i = 0; i < w; ++i) at.emplace_back(i, j);
  cv::undistortPoints(at, to, k, d, cv::noArray(), straight, cv::TermCriteria(3, 60, 1e-10));
  for (int j = 0; j < h; ++j)
    for (int i = 0; i < w; ++i) {
      const auto& q = to[static_cast<size_t>(j) * w + i];
      put(r.pixel(i, j), (q.x + 0.5) / sw, (q.y + 0.5) / sh);
    }
  lens::StMapFiles files;
  files.straightWidth = sw, files.straightHeight = sh;
  if (undistort) image::writePicture(files.undistort = folder / "u.exr", u, options);
  if (redistort) image::writePicture(files.redistort = folder / "r.exr", r, options);
  const auto answer = lens::readStMaps(files, w, h);
  EXPECT_EQ(answer.fromTop, top);
  EXPECT_TRUE(answer.remarks.empty()) << answer.remarks.front();
  lens::Lens lens;
  lens.maps = answer.maps;
  const lens::LensOnPixels ours(lens, 1230, 1230, 646, 356);
  double there = 0, back = 0;
  for (int j = 0; j <= 48; ++j)
    for (int i = 0; i <= 64; ++i) {
      const Vec2 plate(i * 20.0, j * 15.0);
      std::vector<cv::Point2d> in = {{plate.x() - 0.5, plate.y() - 0.5}}, n, bent;
      cv::undistortPoints(in, n, k, d, cv::noArray(), cv::noArray(), cv::TermCriteria(3, 100, 1e-13));
      const Vec2 truth(1230 * n[0].x + 646, 1230 * n[0].y + 356);
      Vec2 s, p;
      ASSERT_TRUE(ours.straightFromPlate(plate, s)) << plate.transpose();
      there = std::max(there, (s - truth).norm());
      ASSERT_TRUE(ours.plateFromStraight(truth, p));
      back = std::max(back, (p - plate).norm());
    }
  std::printf("origin at the %s, %s%s: straight within %.5f px of OpenCV's, plate within %.5f px\n",
              top ? "top" : "bottom", undistort ? "undistort " : "", redistort ? "redistort" : "", there, back);
  EXPECT_LE(there, 0.02);
  EXPECT_LE(back, 0.02);
}
INSTANTIATE_TEST_SUITE_P(StMaps, FromOpenCv,
                         testing::Values(std::tuple(true, true, true), std::tuple(false, true, true),
                                         std::tuple(true, true, false), std::tuple(false, false, true)));
