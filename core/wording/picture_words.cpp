#include "core/element/picture_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using PictureWords = SourceWords<element::Picture>;
}

template <>
const char* PictureWords::noun() {
  return "picture";
}
template <>
const char* PictureWords::tip() {
  return "A still or a sequence on the selected surface, with its own aspect";
}
template <>
Sentence PictureWords::sentence(const element::Element& e, const element::Picture& p, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {SettingWords::plain("Put"),
                SettingWords::file(path + "source.files", std::filesystem::path(p.files.pattern).filename().string())};
  if (isCarried(e.place) || isAtInfinity(e.place) || isOnScreen(e.place)) {
    s.push_back(SettingWords::plain("on"));
    s.push_back(placeWord(e, w, true));
  } else {
    s.push_back(SettingWords::plain(whereOf(e.place)));
  }
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence PictureWords::details(const element::Element& e, const element::Picture& p, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".source.";
  Sentence s;
  addRow(s, "Frame offset");
  s.push_back(w.number(path + "shift"));
  addRow(s, "Past its ends");
  s.push_back(w.choice(path + "beyond", {"nothing", "hold", "loop"}));
  addSteer(s, e, w);
  addFar(s, e, w);
  addLayers(s, path + "files.layer", p.files);
  addRow(s, "Colour");
  s.push_back(w.choice(path + "premultiplied", {"straight alpha", "premultiplied"}));
  addMatch(s, e, w);
  addGrain(s, e, w);
  addMerge(s, e, w);
  const Sentence match = matchDetails(e, w);
  s.insert(s.end(), match.begin(), match.end());
  return s;
}

template <>
std::optional<int> PictureWords::pin(const element::Picture&) {
  return std::nullopt;
}

}  // namespace zentil::wording
