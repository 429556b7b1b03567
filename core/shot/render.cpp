#include "core/element/render.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using RenderWords = SourceWords<element::Render>;
}

template <>
const char* RenderWords::noun() {
  return "CG";
}
template <>
const char* RenderWords::tip() {
  return "A sequence rendered straight through the solved camera; it is bent once onto the plate";
}
template <>
bool RenderWords::fromFiles() {
  return true;
}

template <>
Sentence RenderWords::sentence(const element::Element& e, const element::Render& r, const Wording& w) {
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
Sentence RenderWords::details(const element::Element& e, const element::Render& r, const Wording& w) {
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
std::vector<Action> RenderWords::actions() {
  return {};
}

template <>
void RenderWords::problems(const element::Element& e, const element::Render& r, const Shot& shot,
                           std::vector<Problem>& out) {
  if (!r.shadow) grainProblems(e, shot, false, out);
  sequenceProblems(e, r.files, r.shift, r.beyond, shot, out);
}

template <>
std::optional<int> RenderWords::pin(const element::Render&) {
  return std::nullopt;
}

template <>
element::Element RenderWords::fresh(const Shot&, const std::string&, int) {
  element::Element e;
  e.source = element::Render{};
  e.place = element::throughCamera();
  e.name = "CG";
  return e;
}

}  // namespace zentil::shot
