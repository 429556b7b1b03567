#include "core/element/patch_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using PatchWords = SourceWords<element::Patch>;
}

template <>
const char* PatchWords::noun() {
  return "patch";
}
template <>
const char* PatchWords::tip() {
  return "Cover something with a piece of this frame: go to the frame where the place is clean, then click";
}
template <>
Sentence PatchWords::sentence(const element::Element& e, const element::Patch& h, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s;
  if (isCarried(e.place))
    s = {SettingWords::plain("Cover"), placeWord(e, w), SettingWords::plain("with")};
  else
    s = {SettingWords::plain(std::string("Put ") + whereOf(e.place))};
  s.push_back(w.number(path + "source.frame", "frame "));
  if (!h.plate.empty()) {
    s.push_back(SettingWords::plain("of"));
    s.push_back(w.thing(path + "source.plate"));
  }
  if (!h.picture.empty())
    s.push_back(SettingWords::file(path + "source.picture",
                                   "as painted in " + std::filesystem::path(h.picture).filename().string()));
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence PatchWords::details(const element::Element& e, const element::Patch&, const SettingWords& w) {
  Sentence s;
  addMatch(s, e, w, isCarried(e.place));
  addMerge(s, e, w);
  const Sentence more = plateDetails(e, w);
  s.insert(s.end(), more.begin(), more.end());
  return s;
}

template <>
std::optional<int> PatchWords::pin(const element::Patch& h) {
  return h.frame;
}

}  // namespace zentil::wording
