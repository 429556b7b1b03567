// Tracks, solve and patches made on the raw demo plate; a graded copy put in as the plate that is worked on: by one
// word.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "core/edit/make.h"
#include "core/edit/plates.h"
#include "core/edit/set_word.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using namespace zentil::test::demo;

namespace {

/// Gain, gamma and saturation, as a grade has them.
void grade(float* v) {
  const float gain[] = {1.25f, 1.1f, 0.9f};
  for (int c = 0; c < 3; ++c) v[c] = std::pow(std::max(0.0f, v[c] * gain[c]), 0.9f);
  const float grey = 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2];
  for (int c = 0; c < 3; ++c) v[c] = grey + 0.75f * (v[c] - grey);
}

image::Picture graded(image::Picture p) {
  for (size_t i = 0; i + 3 < p.values.size(); i += 4) grade(p.values.data() + i);
  return p;
}

}  // namespace

TEST(PlatesOutside, AGradedPlateIsWorkedOnWithNothingDoneAgain) {
  const test::Folder folder;
  const auto raw = shot::load(test::kPainted);
  const std::vector<int> looked = {1001, 1012, 1030, 1049, 1060, 1072};
  std::filesystem::create_directories(folder / "graded");
  image::WriteOptions exact;
  exact.half = false;
  std::set<int> needed(looked.begin(), looked.end());
  needed.insert({1001, 1036, 1072});
  for (const int f : needed)
    image::writePicture(folder / fmt::format("graded/g.{}.exr", f), graded(image::readFrame(raw.plate(), f).picture),
                        exact);
  const std::string painted = (folder / "painted.exr").string();
  image::writePicture(painted, graded(image::readPicture(test::kPaintedFrame).picture), exact);

  auto s = raw;
  const std::string id = edit::addPlate(s, (folder / "graded/g.1001.exr").string(), "graded");
  for (auto& e : s.elements)
    if (auto* held = e.from<element::Patch>(); held && !held->picture.empty()) held->picture = painted;
  const auto before = s;
  edit::setWord(s, "workingPlate", id, 1001);
  // Nothing is tracked again, no matte and no patch is another.
  EXPECT_TRUE(*s.tracks == *before.tracks && s.mattes == before.mattes && s.elements == before.elements &&
              *s.camera == *before.camera && s.surfaces == before.surfaces);
  comp::RenderCache w(size_t{900} << 20);
  comp::BuildOptions options;
  options.filter = map::Filter::Sharper;
  double sum = 0, worst = 1e9;
  for (const int f : looked) {
    const auto ours = test::buildFrame(s, f, w, options), truth = graded(test::buildFrame(raw, f, w, options));
    const cv::Mat a(kHeight, kWidth, CV_32FC4, const_cast<float*>(ours.values.data())),
        b(kHeight, kWidth, CV_32FC4, const_cast<float*>(truth.values.data()));
    const cv::Mat squared = (a - b).mul(a - b);
    const cv::Scalar mean = cv::mean(squared, rigMatte(f));
    const double psnr = -10 * std::log10((mean[0] + mean[1] + mean[2]) / 3);
    sum += psnr, worst = std::min(worst, psnr);
  }
  std::printf("graded patches against the graded patches of the raw plate: mean %.2f dB, worst %.2f dB\n",
              sum / static_cast<double>(looked.size()), worst);
  EXPECT_GE(worst, 77.9);
}
