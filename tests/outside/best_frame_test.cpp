// The frame that is found for a place of the demo against every frame tried, each compared with the render that has
// neither rig, nor shadow, nor grain.
#include <gtest/gtest.h>

#include <random>

#include "core/evaluate/shot_evaluator.h"
#include "core/measure/best_frame.h"
#include "core/shot/shot_json.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"
#include "tests/support/some.h"

using namespace zentil;
using namespace zentil::test::demo;

namespace {

struct Tried {
  int best = 0;
  double bestDb = 0;
  std::map<int, double> db;
};

/// Every frame of the plate that shows the place as the source of the patch, by its difference from the truth over the
/// place.
Tried tryAll(shot::Shot s, const measure::FoundFrames& found, int target, const cv::Rect& place,
             comp::RenderCache& cache) {
  Tried out;
  const cv::Mat truth = bare(target)(place);
  for (int f = kFirst; f <= kLast; ++f) {
    // What is said to have to go is no source, whatever stands there.
    if (found.at(f)->excluded > 0.001) continue;
    std::get<element::Patch>(s.elements[0].source).frame = f;
    const auto p = test::buildLayer(s, s.elements[0], target, cache, map::Filter::Sharp);
    double sum = 0;
    int n = 0;
    for (int y = place.y; y < place.y + place.height; ++y)
      for (int x = place.x; x < place.x + place.width; ++x) {
        if (!p.data.contains(x, y) || *(p.pixel(x, y) + 3) < 0.99f) continue;
        const auto& t = truth.at<cv::Vec3f>(y - place.y, x - place.x);
        for (int c = 0; c < 3; ++c) sum += std::pow(p.pixel(x, y)[c] - t[c], 2);
        ++n;
      }
    if (n < 0.99 * place.area()) continue;
    const double db = -10 * std::log10(sum / (3 * n));
    out.db[f] = db;
    if (!out.best || db > out.bestDb) out.best = f, out.bestDb = db;
  }
  return out;
}

}  // namespace

TEST(FramesOutside, TheFrameThatIsFoundIsAboutTheBestThatThereIs) {
  const int places = test::some(1, 30);  // some half a minute each
  auto s = shot::load(test::kPainted);
  comp::RenderCache cache(size_t{2} << 30);
  for (auto& m : s.mattes) m.removal = true;
  const auto mattes = s.mattes;
  std::mt19937 random(1);
  int near = 0, tried = 0;
  while (tried < places) {
    // A place behind the rig, on the wall or on the slip.
    const int target = kFirst + static_cast<int>(random() % (kLast - kFirst + 1));
    const int wide = 16 + static_cast<int>(random() % 40), tall = 16 + static_cast<int>(random() % 60);
    const int x = static_cast<int>(random() % (kWidth - wide)), y = static_cast<int>(random() % (kHeight - tall));
    const cv::Rect place(x, y, wide, tall);
    if (cv::countNonZero(rigMatte(target)(place)) < 0.3 * place.area()) continue;
    const auto known = bare(target)(place);
    if (cv::countNonZero(known.reshape(1) > 0) < 2.9 * place.area()) continue;
    const bool wall = y + tall<470, slip = y> 560;
    if (wall == slip) continue;
    s.mattes = mattes;
    matte::Matte m;
    m.id = "m9", m.name = "place";
    matte::Part p;
    p.id = "p1", p.name = "shapes";
    p.content = matte::RotoShapes{{test::rectangle(x, y, x + wide, y + tall)}, target};
    m.parts = {p};
    s.mattes.push_back(m);
    element::Element e;
    e.id = "e1", e.name = "patch", e.source = element::Patch{target, {}, {}};
    e.place = element::OnSurface{wall ? "s1" : "s2"}, e.cover = {{"m9"}};
    s.elements = {e};
    measure::FoundFrames found;
    try {
      found = measure::framesFor(*evaluate::ShotEvaluator::of(s), "e1", target, false, cache);
    } catch (const Error& error) {
      std::printf("frame %d, %d %d: %s\n", target, x, y, error.what());
      continue;
    }
    if (found.at(found.best)->seen < 0.99) continue;
    const auto all = tryAll(s, found, target, place, cache);
    if (all.db.empty()) continue;
    ++tried;
    const double db = all.db.count(found.best) ? all.db.at(found.best) : 0;
    near += all.bestDb - db <= 0.3;
    const auto* a = found.at(found.best);
    const auto* b = found.at(all.best);
    std::printf(
        "%s, frame %d, %dx%d at %d, %d: found %d (%.2f dB; away %.5f, sharp %.2f, detail %.2f, seen %.3f), best %d "
        "(%.2f dB; away %.5f, sharp %.2f, detail %.2f, seen %.3f, ring %.5f gain %.4f)\n",
        wall ? "wall" : "slip", target, wide, tall, x, y, found.best, db, a->away, a->sharpness, a->detail, a->seen,
        all.best, all.bestDb, b->away, b->sharpness, b->detail, b->seen, b->ring, b->gain);
  }
  std::printf("%d of %d within 0.3 dB of the best\n", near, tried);
  EXPECT_GE(near, 0.9 * tried);
}
