#include "core/matte/keyer.h"

#include "core/wording/matte_words.h"

namespace zentil::wording {

template <>
void addFollows(Sentence& s, const matte::Keyer& keyed, const matte::Matte& m, const matte::Part& p,
                const SettingWords& w) {
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".content.";
  s.push_back(SettingWords::plain("by"));
  s.push_back(w.choice(path + "by", {"luma", "chroma", "difference"}));
  if (keyed.by == matte::KeyBy::Difference) {
    s.push_back(SettingWords::plain("to"));
    s.push_back(w.thing(path + "element"));
  }
  if (keyed.by == matte::KeyBy::Chroma) {
    s.push_back(SettingWords::plain("to"));
    for (const char c : {'r', 'g', 'b'}) s.push_back(w.number(path + "backing." + c));
  }
  s.back().text += ",";
  s.push_back(SettingWords::plain("from"));
  s.push_back(w.number(path + "low"));
  s.push_back(SettingWords::plain("to"));
  s.push_back(w.number(path + "high"));
}

template <>
const char* limitOf<matte::Keyer>() {
  return "the key";
}

template <>
ContentOffer offerOf<matte::Keyer>() {
  return {matte::Keyer::kKind, "addKey", "+ Key",
          "A part of the matte that is keyed from the plate, by luma, chroma or difference"};
}

}  // namespace zentil::wording
