#include "core/element/cg_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using CgWords = SourceWords<element::Cg>;
}

template <>
const char* CgWords::noun() {
  return "CG";
}
template <>
const char* CgWords::tip() {
  return "A sequence rendered straight through the solved camera; it is bent once onto the plate";
}
template <>
bool CgWords::fromFiles() {
  return true;
}

template <>
Sentence CgWords::sentence(const element::Element& e, const element::Cg& r, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {Wording::plain("Bend"),
                Wording::file(path + "source.files", std::filesystem::path(r.files.pattern).filename().string() + ","),
                w.choice(path + "source.shadow", {"a picture", "a shadow pass"})};
  s.back().text += ",";
  s.push_back(Wording::plain("onto the plate, seen"));
  s.push_back(coverWord(e, w));
  s.back().text += ",";
  if (r.shadow) {
    s.push_back(Wording::plain("darkening it."));
  } else {
    addGrain(s, e, w);
    s.push_back(Wording::plain("laid"));
    s.push_back(w.choice(path + "look.merge", {}));
    s.push_back(Wording::plain("it."));
  }
  return s;
}

template <>
Sentence CgWords::details(const element::Element& e, const element::Cg& r, const Wording& w) {
  const std::string path = "elements." + e.id + ".source.";
  Sentence s = {Wording::plain("\u00b7 moved by"), w.number(path + "shift"), Wording::plain("beyond its ends"),
                w.choice(path + "beyond", {"nothing", "held", "looped"})};
  s[1].text += ",";
  addLayers(s, path + "files.layer", r.files);
  if (!r.shadow) {
    s.push_back(Wording::plain("\u00b7 colour"));
    s.push_back(w.choice(path + "premultiplied", {"not multiplied by alpha yet", "multiplied by alpha already"}));
    const Sentence match = matchDetails(e, w);
    s.insert(s.end(), match.begin(), match.end());
  }
  return s;
}

template <>
std::vector<Action> CgWords::actions() {
  return {};
}

template <>
void CgWords::problems(const element::Element& e, const element::Cg& r, const Shot& shot, std::vector<Problem>& out) {
  if (!r.shadow) grainProblems(e, shot, false, out);
  sequenceProblems(e, r.files, r.shift, r.beyond, shot, out);
}

template <>
std::optional<int> CgWords::pin(const element::Cg&) {
  return std::nullopt;
}

template <>
element::Element CgWords::fresh(const Shot&, const std::string&, int) {
  element::Element e;
  e.source = element::Cg{};
  e.place = element::throughCamera();
  e.name = "CG";
  return e;
}

}  // namespace zentil::shot
