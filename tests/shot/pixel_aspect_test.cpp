// Pixels that are wider than high: read from the files, believed by film back and solve, delivered.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include "core/edit/lens.h"
#include "core/edit/new_shot.h"
#include "core/edit/plates.h"
#include "core/edit/set_word.h"
#include "core/image/write.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

namespace zentil {
namespace {

namespace fs = std::filesystem;

std::string pictureWith(const fs::path& file, float aspect) {
  fs::create_directories(file.parent_path());
  OIIO::ImageSpec spec(64, 48, 3, file.extension() == ".dpx" ? OIIO::TypeDesc::UINT16 : OIIO::TypeDesc::HALF);
  spec.attribute("PixelAspectRatio", aspect);
  const std::vector<float> grey(64 * 48 * 3, 0.18f);
  auto out = OIIO::ImageOutput::create(file.string());
  EXPECT_TRUE(out && out->open(file.string(), spec) && out->write_image(OIIO::TypeDesc::FLOAT, grey.data()) &&
              out->close());
  return file.string();
}

TEST(PixelAspect, IsReadFromExrDpxAndMovies) {
  const test::Folder folder;
  EXPECT_NEAR(image::openPlate(pictureWith(folder / "a/a.1001.exr", 2)).pixelAspect, 2, 1e-6);
  EXPECT_NEAR(image::openPlate(pictureWith(folder / "b/b.1001.dpx", 1.5f)).pixelAspect, 1.5, 1e-3);
  EXPECT_EQ(image::openPlate(pictureWith(folder / "c/c.1001.exr", 99)).pixelAspect, 1) << "nonsense is not believed";
  const std::string movie = (folder / "m.mov").string();
  ASSERT_EQ(test::runCommand("ffmpeg -v error -f lavfi -i testsrc=s=64x48:d=0.2 -vf setsar=2 -c:v mjpeg " + movie), 0);
  EXPECT_NEAR(image::openPlate(movie).pixelAspect, 2, 1e-6);
}

TEST(PixelAspect, TheFilmBackFollowsUntilACameraSaysOtherwise) {
  const test::Folder folder;
  auto s = edit::newShot({pictureWith(folder / "a/a.1001.exr", 2), {}, {}, {}, 0});
  EXPECT_NEAR(s.aspect(), 64 * 2 / 48.0, 1e-6);
  EXPECT_NEAR(s.camera->backWidthMm / s.camera->backHeightMm, s.aspect(), 1e-9);
  EXPECT_FALSE(shot::likelyBackHeight(s));
  edit::setWord(s, "plates." + s.worked().id + ".files.pixelAspect", "1", 1001);
  EXPECT_NEAR(s.camera->backWidthMm / s.camera->backHeightMm, 64 / 48.0, 1e-9);
  // A film back that the picture cannot have been taken on is remarked upon, and mended when asked.
  edit::setWord(s, "camera.backHeightMm", "10", 1001);
  ASSERT_TRUE(shot::likelyBackHeight(s));
  const auto said = shot::problemsOf(s, false);
  EXPECT_TRUE(std::any_of(said.begin(), said.end(), [](const auto& p) {
    return !p.grave && p.text.find("the film back is 24.89 x 10.00 mm, 2.49 to 1; the picture is 1.33 to 1") == 0;
  }));
  edit::fitBack(s);
  EXPECT_NEAR(s.camera->backHeightMm, 24.89 * 48 / 64, 1e-9);
  // What a person said of files that say nothing stays when the plate is put elsewhere.
  edit::setWord(s, "plates." + s.worked().id + ".files.pixelAspect", "1.5", 1001);
  edit::relinkPlate(s, s.worked().id, pictureWith(folder / "d/a.1001.exr", 1));
  EXPECT_NEAR(s.plate().pixelAspect, 1.5, 1e-9);
}

TEST(PixelAspect, IsDelivered) {
  const test::Folder folder;
  auto s = edit::newShot({pictureWith(folder / "a/a.1001.exr", 2), {}, {}, {}, 0});
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  fs::create_directories(folder / "out");
  comp::RenderCache cache(test::kBudget);
  test::deliver(s, {1001}, cache);
  EXPECT_NEAR(image::openPlate(folder / "out/a.1001.exr").pixelAspect, 2, 1e-6);
}

TEST(PixelAspect, ASqueezedShotIsSolvedAtItsFocalLength) {
  // The same rays on half as many columns: a solve that took them for square would find 34 mm.
  test::TrackedSetup setup;
  setup.lens = lens::Lens();
  setup.count = 400, setup.step = 0.12;
  auto scene = test::TrackedScene(setup);
  for (auto& t : scene.tracks)
    for (auto& p : t.at) p.x() /= 2;
  solve::SolveSettings q;
  q.k1 = q.k2 = false;
  camera::CameraPath body;
  body.backWidthMm = scene.truth.backWidthMm, body.backHeightMm = scene.truth.backHeightMm;
  body.centreOffsetPx = scene.truth.centreOffsetPx.cwiseProduct(Vec2(0.5, 1));
  const int width = test::TrackedScene::kW / 2, height = test::TrackedScene::kH;
  const auto answer = solve::solve(scene.tracks, scene.range, width, height, body, {}, q);
  std::printf("squeezed by two: %.2f mm of %.2f\n", answer.camera.focalMm, scene.truth.poses.begin()->second.focalMm);
  EXPECT_NEAR(answer.camera.focalMm / scene.truth.poses.begin()->second.focalMm, 1, 0.02);
  EXPECT_LT(answer.errors.rmsPx, 0.2);
}

}  // namespace
}  // namespace zentil
