#include "core/matte/roto_shapes.h"

#include "core/shot/trackers.h"
#include "core/wording/matte_words.h"

namespace zentil::wording {

template <>
void addFollows(Sentence& s, const matte::RotoShapes&, const matte::Matte& m, const matte::Part& p,
                const SettingWords& w) {
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".";
  s.push_back(SettingWords::plain("drawn on"));
  s.push_back(w.number(path + "content.frame", "frame "));
  s.back().text += ",";
  std::vector<std::pair<std::string, std::string>> follows = {{"surface", "follows the surface"},
                                                              {"screen", "stays on screen"}};
  for (const auto& r : w.shot().regions) follows.emplace_back("region " + std::to_string(r.id), "follows " + r.name);
  const std::string chosen =
      p.follows == matte::Follows::Region ? "region " + std::to_string(p.region) : std::string(nameOf(p.follows));
  s.push_back(SettingWords::special(path + "follow", chosen, follows, "follows something that is gone"));
}

template <>
const char* limitOf<matte::RotoShapes>() {
  return "the outline";
}

template <>
ContentOffer offerOf<matte::RotoShapes>() {
  return {matte::RotoShapes::kKind, "addPart", "+ Part of the matte",
          "Further shapes that count for themselves: added, taken away, or kept inside"};
}

}  // namespace zentil::wording
