// A camera that stands still: held, with a backdrop whose fill from all frames is the clean plate. On a clip of people
// who walk through a yard (vtest.avi, package opencv-doc), against the median of its frames.
#include "core/edit/still_camera.h"

#include <gtest/gtest.h>

#include "core/comp/layer.h"
#include "core/edit/edits.h"
#include "core/edit/element_kinds.h"
#include "core/edit/new_shot.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

TEST(StillCamera, TheBackdropFillsEveryPixelOfTheFrame) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  s.surfaces.clear();
  s.camera = std::make_shared<camera::CameraPath>();
  const auto held = edit::holdStillCamera(s);
  EXPECT_TRUE(held.assumed);
  ASSERT_TRUE(s.surface(held.backdrop));
  EXPECT_EQ(s.camera->poses.size(), 5U);
  comp::RenderCache w(test::kBudget);
  auto e = edit::freshElement(s, "patch", held.backdrop, 1003);
  e.id = "e1";
  s.elements.push_back(e);
  const auto built = test::buildFrame(s, 1001, w);
  const auto source = w.frame(s.plate(), 1003);
  double most = 0;
  for (int y = 0; y < s.height; ++y)
    for (int x = 0; x < s.width; ++x)
      most = std::max<double>(most, std::abs(built.pixel(x, y)[1] - source->picture.pixel(x, y)[1]));
  EXPECT_LT(most, 1e-3) << "frame 1003 stands still on frame 1001, up to its corners";
  // Again: the same backdrop, and what is known of the lens is kept.
  auto known = std::make_shared<camera::CameraPath>(*s.camera);
  known->focalMm = 24;
  s.camera = known;
  const auto again = edit::holdStillCamera(s);
  EXPECT_EQ(again.backdrop, held.backdrop);
  EXPECT_FALSE(again.assumed);
  EXPECT_EQ(s.surfaces.size(), 1U);
  EXPECT_EQ(s.camera->poses.begin()->second.focalMm, 24);
}

TEST(StillCamera, AFillOnTheBackdropIsTheCleanPlateOfARealClip) {
  const test::Folder folder;
  auto s = edit::newShot({test::kOpenCvData + "vtest.avi", {}, {}, {}, 0});
  s.range = {1, 60};
  comp::RenderCache w(size_t{600} << 20);
  const auto apply = [&](const char* text) { return edit::apply(s, nlohmann::json::parse(text), {w, folder.path()}); };
  const std::string surface = apply(R"([{"stillCamera": true}])")[0]["surface"];
  const std::string fill = apply((R"([{"element": "fill", "on": ")" + surface + R"(", "frame": 30}])").c_str())[0];
  apply((R"([{"fillFromAll": ")" + fill + R"(", "frame": 30}])").c_str());
  // Away from the plate by much: somebody walks there.
  const auto walkers = [&](const image::Picture& a, const image::Picture& b) {
    size_t n = 0;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) n += std::abs(a.pixel(x, y)[1] - b.pixel(x, y)[1]) > 0.06f;
    return static_cast<double>(n) / (s.width * s.height);
  };
  std::vector<std::vector<float>> levels(static_cast<size_t>(s.width * s.height));
  for (int f = 1; f <= 60; f += 3) {
    const auto plate = w.frame(s.plate(), f);
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x)
        levels[static_cast<size_t>(y * s.width + x)].push_back(plate->picture.pixel(x, y)[1]);
  }
  image::Picture median(s.width, s.height, 4, 1.0f);
  for (size_t i = 0; i < levels.size(); ++i) {
    std::nth_element(levels[i].begin(), levels[i].begin() + 10, levels[i].end());
    median.values[4 * i + 1] = levels[i][10];
  }
  const double plate = walkers(w.frame(s.plate(), 30)->picture, median),
               clean = walkers(test::buildFrame(s, 30, w), median);
  std::printf("away from the median of the clip: plate %.2f%%, clean plate %.2f%% of the frame\n", 100 * plate,
              100 * clean);
  EXPECT_GT(plate, 0.01);
  EXPECT_LT(clean, 0.2 * plate);
}

}  // namespace
}  // namespace zentil
