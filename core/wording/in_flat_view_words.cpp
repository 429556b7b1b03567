#include "core/wording/source_words.h"

namespace zentil::wording {

void addSteer(Sentence& s, const element::Element& e, const SettingWords& w) {
  if (!std::holds_alternative<element::InFlatView>(e.place)) return;
  const std::string path = "elements." + e.id + ".place.";
  addRow(s, "Flat view");
  for (const char* word : {"yaw", "pitch", "roll", "fovDegrees"}) s.push_back(w.number(path + word));
  s.back().text += " wide,";
  s.push_back(w.choice(path + "ofWorld", {"going along with the sphere", "locked to the world"}));
}

}  // namespace zentil::wording
