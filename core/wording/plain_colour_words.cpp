#include "core/element/plain_colour_settings.h"

#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using PlainColourWords = SourceWords<element::PlainColour>;
}

template <>
const char* PlainColourWords::noun() {
  return "plain colour";
}
template <>
const char* PlainColourWords::tip() {
  return "One colour all over the selected surface, or over its matte";
}

template <>
Sentence PlainColourWords::sentence(const element::Element& e, const element::PlainColour&, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {SettingWords::plain("Colour"), placeWord(e, w), SettingWords::plain("with")};
  for (const char c : {'r', 'g', 'b'}) s.push_back(w.number(path + "source.colour." + c));
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence PlainColourWords::details(const element::Element& e, const element::PlainColour&, const SettingWords& w) {
  Sentence s;
  addGrain(s, e, w);
  addMerge(s, e, w);
  return s;
}

template <>
std::optional<int> PlainColourWords::pin(const element::PlainColour&) {
  return std::nullopt;
}

}  // namespace zentil::wording
