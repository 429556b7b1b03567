#include "core/wording/source_words.h"

namespace zentil::wording {

void addFar(Sentence& s, const element::Element& e, const SettingWords& w) {
  if (!isAtInfinity(e.place)) return;
  const std::string path = "elements." + e.id + ".place.";
  addRow(s, "Direction");
  for (const char* word : {"yaw", "pitch", "roll"}) s.push_back(w.number(path + word));
  addRow(s, "Covers");
  s.push_back(w.choice(path + "picture", {}));
  if (!isAllAround(e.place)) s.push_back(w.number(path + "fovDegrees"));
  addRow(s, "Set");
  s.push_back(w.choice(path + "behindSet", {"in front of the surfaces", "behind the surfaces"}));
}

}  // namespace zentil::wording
