#include "core/element/cg_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using CgWords = SourceWords<element::Cg>;
}

template <>
const char* CgWords::noun() {
  return "CG";
}
template <>
const char* CgWords::tip() {
  return "A sequence rendered through the solved camera, undistorted; it is redistorted once to match the plate";
}
template <>
Sentence CgWords::sentence(const element::Element& e, const element::Cg& r, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {
      SettingWords::plain("Redistort"),
      SettingWords::file(path + "source.files", std::filesystem::path(r.files.pattern).filename().string() + ","),
      w.choice(path + "source.shadow", {"a picture", "a shadow pass"})};
  s.back().text += ",";
  s.push_back(SettingWords::plain("shown"));
  s.push_back(coverWord(e, w));
  endSentence(s);
  return s;
}

template <>
Sentence CgWords::details(const element::Element& e, const element::Cg& r, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".source.";
  Sentence s;
  addRow(s, "Frame offset");
  s.push_back(w.number(path + "shift"));
  addRow(s, "Past its ends");
  s.push_back(w.choice(path + "beyond", {"nothing", "hold", "loop"}));
  addLayers(s, path + "files.layer", r.files);
  if (!r.shadow) {
    addGrain(s, e, w);
    addMerge(s, e, w);
    addRow(s, "Colour");
    s.push_back(w.choice(path + "premultiplied", {"straight alpha", "premultiplied"}));
    const Sentence match = matchDetails(e, w);
    s.insert(s.end(), match.begin(), match.end());
  }
  return s;
}

template <>
std::optional<int> CgWords::pin(const element::Cg&) {
  return std::nullopt;
}

}  // namespace zentil::wording
