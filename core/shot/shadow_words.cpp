#include "core/element/shadow_settings.h"

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using ShadowWords = SourceWords<element::Shadow>;
}

template <>
const char* ShadowWords::noun() {
  return "shadow";
}
template <>
const char* ShadowWords::tip() {
  return "Remove a shadow from the selected surface, keeping its texture; or add one";
}
template <>
bool ShadowWords::fromFiles() {
  return false;
}

template <>
Sentence ShadowWords::sentence(const element::Element& e, const element::Shadow&, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {w.choice(path + "source.add", {"Remove the shadow", "Add a shadow"}),
                Wording::plain("on"),
                placeWord(e, w),
                Wording::plain("with transmission"),
                w.number(path + "source.transmission.r"),
                w.number(path + "source.transmission.g"),
                w.number(path + "source.transmission.b")};
  s[4].text += ",", s[5].text += ",";
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence ShadowWords::details(const element::Element&, const element::Shadow&, const Wording&) {
  return {};
}

template <>
std::vector<Action> ShadowWords::actions() {
  return {{"drawMatte", "Draw its outline",
           "Click around the shadow's full dark; its edge is what the matte's softness makes"},
          {"measureShade", "Measure it here", "Measures the transmission from both sides of the shadow's edge"},
          {"mattePictures", "Matte pictures\u2026", "An image sequence as the matte"}};
}

template <>
void ShadowWords::problems(const element::Element& e, const element::Shadow&, const Shot&, std::vector<Problem>& out) {
  if (e.cover.empty())
    out.push_back({fmt::format("\"{}\" has no outline and changes all of its surface: draw one", e.name)});
}

template <>
std::optional<int> ShadowWords::pin(const element::Shadow&) {
  return std::nullopt;
}

template <>
element::Element ShadowWords::fresh(const Shot& shot, const std::string& surface, int) {
  element::Element e = onSurface(shot, surface);
  e.source = element::Shadow{};
  e.name = "Shadow on " + nameOfPlace(shot, e.place);
  return e;
}

}  // namespace zentil::shot
