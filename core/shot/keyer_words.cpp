#include "core/matte/keyer.h"

#include "core/shot/matte_words.h"

namespace zentil::shot {

void addFollows(Sentence& s, const matte::Keyer& keyed, const matte::Matte& m, const matte::Part& p, const Wording& w) {
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".content.";
  s.push_back(Wording::plain("by"));
  s.push_back(w.choice(path + "by", {"luma", "chroma", "difference"}));
  if (keyed.by == matte::KeyBy::Difference) {
    s.push_back(Wording::plain("to"));
    s.push_back(w.thing(path + "element"));
  }
  if (keyed.by == matte::KeyBy::Chroma) {
    s.push_back(Wording::plain("to"));
    for (const char c : {'r', 'g', 'b'}) s.push_back(w.number(path + "backing." + c));
  }
  s.back().text += ",";
  s.push_back(Wording::plain("from"));
  s.push_back(w.number(path + "low"));
  s.push_back(Wording::plain("to"));
  s.push_back(w.number(path + "high"));
}

void problemsOf(const matte::Keyer& keyed, const matte::Matte& m, const matte::Part&, const Shot& shot,
                std::vector<Problem>& out) {
  if (keyed.by == matte::KeyBy::Difference && !shot.element(keyed.element))
    out.push_back({fmt::format("matte \"{}\" is keyed by the difference to an element that is {}: choose one", m.name,
                               keyed.element.empty() ? "not chosen" : "gone"),
                   true,
                   {}});
}

}  // namespace zentil::shot
