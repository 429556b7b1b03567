#include "core/matte/gradient.h"

#include "core/wording/matte_words.h"

namespace zentil::wording {

template <>
void addFollows(Sentence& s, const matte::Gradient&, const matte::Matte& m, const matte::Part& p,
                const SettingWords& w) {
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".content.";
  s.push_back(SettingWords::plain("from"));
  for (const char* end : {"from", "to"}) {
    s.push_back(w.number(path + end + ".x"));
    s.push_back(w.number(path + end + ".y"));
    if (end == std::string("from")) s.push_back(SettingWords::plain("to"));
  }
  s.back().text += ",";
  s.push_back(w.choice(path + "smooth", {"in a straight ramp", "in a smooth ramp"}));
}

template <>
const char* limitOf<matte::Gradient>() {
  return "the gradient";
}

template <>
ContentOffer offerOf<matte::Gradient>() {
  return {matte::Gradient::kKind, "addGradient", "+ Gradient",
          "A ramp across the picture, from nothing to all, as a part of the matte"};
}

}  // namespace zentil::wording
