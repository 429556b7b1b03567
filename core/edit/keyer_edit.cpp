#include "core/matte/keyer.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/edit/make.h"
#include "core/edit/matte_kinds.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/crop.h"

namespace zentil::edit {

using shot::Shot;

template <>
matte::Keyer freshContent(const Shot&, int) {
  return {};
}

std::string addKey(Shot& shot, const std::string& matteId, matte::KeyBy by, const std::string& element) {
  matte::Keyer key;
  key.by = by, key.element = element;
  if (by == matte::KeyBy::Chroma) key.low = 0.2, key.high = 0.85;
  if (by == matte::KeyBy::Difference) key.low = 0.04, key.high = 0.15;
  return addPart(shot, matteId, key, "key");
}

bool isKey(const matte::Part& part) { return std::holds_alternative<matte::Keyer>(part.content); }

const matte::Part* firstKey(const matte::Matte& m) {
  const auto it = std::find_if(m.parts.begin(), m.parts.end(), isKey);
  return it == m.parts.end() ? nullptr : &*it;
}

void pickKey(Shot& shot, const std::string& matteId, const std::string& partId, const Box& box, int frame, bool covers,
             comp::RenderCache& cache) {
  auto* m = shot.matte(matteId);
  auto* p = m ? m->part(partId) : nullptr;
  auto* key = p ? std::get_if<matte::Keyer>(&p->content) : nullptr;
  if (!key) throw Error("there is no key to pick for", "Choose one, or add one");
  const auto evaluator = evaluate::ShotEvaluator::of(shot);
  const auto plate = cache.frame(evaluator->plateAt(frame));
  const auto& picture = plate->forReading();
  const Box inside = intersect(box, picture.data);
  if (inside.empty()) throw Error("there is no picture there", "Drag over the picture");
  image::Picture against;
  if (key->by == matte::KeyBy::Difference) {
    const auto shown = evaluator->shown(key->element, frame);
    against = image::over(comp::buildLayer(shown, shown.layers.front(), cache, map::Filter::Sharp), inside);
  }
  if (key->by == matte::KeyBy::Chroma && !covers) {
    // What is dragged over is the backing.
    std::array<std::vector<float>, 3> values;
    for (int y = inside.y0; y < inside.y1; ++y)
      for (int x = inside.x0; x < inside.x1; ++x)
        for (size_t c = 0; c < 3; ++c) values[c].push_back(picture.pixel(x, y)[c]);
    std::array<double, 3> backing{};
    for (size_t c = 0; c < 3; ++c) {
      auto middle = values[c].begin() + static_cast<long>(values[c].size() / 2);
      std::nth_element(values[c].begin(), middle, values[c].end());
      backing[c] = *middle;
    }
    const auto [least, most] = std::minmax_element(backing.begin(), backing.end());
    if (*most - *least < 0.1 * std::max(1e-6, *most))
      throw Error("that is grey: a chroma key needs a hue", "Drag over the coloured backing, or key by luma");
    key->backing.put(frame, backing);
  }
  const matte::KeySettings question{key->by, 0, 1, key->backing.at(frame)};
  std::vector<double> scores;
  for (int y = inside.y0; y < inside.y1; ++y)
    for (int x = inside.x0; x < inside.x1; ++x) {
      if (!against.empty() && against.pixel(x, y)[3] < 0.999f) continue;
      scores.push_back(matte::keyScore(picture.pixel(x, y), against.empty() ? nullptr : against.pixel(x, y), question));
    }
  if (scores.empty())
    throw Error("the element shows nothing there to be compared with", "Drag where its surface is seen");
  std::sort(scores.begin(), scores.end());
  const auto at = [&](double part) {
    return scores[static_cast<size_t>(part * static_cast<double>(scores.size() - 1))];
  };
  // A picked range is taken from its nearer end; which end is nearer depends on the side that is covered.
  const bool dark =
      key->by == matte::KeyBy::Luma && (covers ? at(0.5) < key->low.at(frame) : at(0.5) > key->high.at(frame));
  if (covers)
    key->high.put(frame, dark ? at(0.95) : at(0.05));
  else
    key->low.put(frame, dark ? at(0.05) : at(0.95));
  const double nowLow = key->low.at(frame), nowHigh = key->high.at(frame);
  // Only luma may cover what is below; elsewhere what has to be kept and what goes are alike.
  if (key->by != matte::KeyBy::Luma && nowHigh <= nowLow) {
    if (covers)
      key->low.put(frame, 0.6 * nowHigh);
    else
      key->high.put(frame, std::max(1.3 * nowLow, nowLow + 0.02));
  }
}

}  // namespace zentil::edit
