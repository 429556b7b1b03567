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
  return "Lift a shadow from the chosen surface: its own pixels stay and are lit as around it; or lay one";
}
template <>
bool ShadowWords::fromFiles() {
  return false;
}

template <>
Sentence ShadowWords::sentence(const element::Element& e, const element::Shadow&, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {w.choice(path + "source.laid", {"Lift the shadow", "Lay a shadow"}),
                Wording::plain("on"),
                placeWord(e, w),
                Wording::plain("that lets"),
                w.number(path + "source.lets.r"),
                w.number(path + "source.lets.g"),
                w.number(path + "source.lets.b"),
                Wording::plain("through")};
  s[4].text += ",", s[5].text += ",";
  addCover(s, e, w);
  if (!s.back().text.empty() && s.back().text.back() == ',') s.back().text.back() = '.';
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
          {"measureShade", "Measure it here", "How much it lets through, from the surface on both sides of its edge"},
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
