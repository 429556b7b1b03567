#include "core/element/fill_settings.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using FillWords = SourceWords<element::Fill>;

/// "frames 1003, 1007 and 1012", or "24 frames from 1001 to 1072".
std::string framesOf(const element::Fill& g) {
  if (g.frames.empty()) return "no frames";
  if (g.frames.size() == 1) return fmt::format("frame {}", g.frames.front());
  if (g.frames.size() <= 5) {
    std::string s = "frames ";
    for (size_t i = 0; i < g.frames.size(); ++i)
      s += (i == 0 ? "" : i + 1 == g.frames.size() ? " and " : ", ") + std::to_string(g.frames[i]);
    return s;
  }
  const auto [first, last] = std::minmax_element(g.frames.begin(), g.frames.end());
  return fmt::format("{} frames from {} to {}", g.frames.size(), *first, *last);
}
}  // namespace

template <>
const char* FillWords::noun() {
  return "fill";
}
template <>
const char* FillWords::tip() {
  return "Fill a place on a surface from the frames that show it, leaving out removal mattes";
}
template <>
Sentence FillWords::sentence(const element::Element& e, const element::Fill& g, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {SettingWords::plain("Fill"), placeWord(e, w), SettingWords::plain("from " + framesOf(g)),
                w.choice(path + "source.method", {"part by part", "averaged", "averaged, holes inpainted"})};
  if (!g.plate.empty()) {
    s.push_back(SettingWords::plain("of"));
    s.push_back(w.thing(path + "source.plate"));
  }
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence FillWords::details(const element::Element& e, const element::Fill&, const SettingWords& w) {
  Sentence s;
  addRow(s, "Light");
  s.push_back(w.choice("elements." + e.id + ".source.equalise", {"each frame's own", "equalised"}));
  addMatch(s, e, w, true);
  addGrain(s, e, w);
  addMerge(s, e, w);
  const Sentence more = plateDetails(e, w);
  s.insert(s.end(), more.begin(), more.end());
  return s;
}

template <>
std::optional<int> FillWords::pin(const element::Fill& g) {
  return g.frames.empty() ? std::nullopt : std::optional(g.frames.front());
}

}  // namespace zentil::wording
