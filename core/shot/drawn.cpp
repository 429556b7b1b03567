#include "core/matte/drawn.h"

#include "core/shot/matte_words.h"
#include "core/shot/trackers.h"

namespace zentil::shot {

void addRide(Sentence& s, const matte::Drawn&, const matte::Matte& m, const matte::Part& p, const Wording& w) {
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".";
  s.push_back(Wording::plain("drawn on"));
  s.push_back(w.number(path + "content.frame", "frame "));
  s.back().text += ",";
  std::vector<std::pair<std::string, std::string>> rides = {{"surface", "rides the surface"},
                                                            {"screen", "rides the screen"}};
  for (const auto& r : w.shot().regions) rides.emplace_back("region " + std::to_string(r.id), "rides " + r.name);
  const std::string chosen =
      p.rides == matte::Rides::Region ? "region " + std::to_string(p.region) : std::string(nameOf(p.rides));
  s.push_back(Wording::special(path + "ride", chosen, rides, "rides what is gone"));
}

void problemsOf(const matte::Drawn& drawn, const matte::Matte& m, const matte::Part& p, const Shot& shot,
                std::vector<Problem>& out) {
  const auto say = [&](std::string text) { out.push_back({std::move(text), true, {}}); };
  if (drawn.shapes.empty()) return;
  if (p.rides == matte::Rides::Surface && !shot.camera->empty() && !shot.hasCamera(drawn.frame))
    say(fmt::format("matte \"{}\" is drawn on frame {}, where the camera has no pose: draw it on another", m.name,
                    drawn.frame));
  if (p.rides == matte::Rides::Region && !regionOf(shot, p.region))
    say(fmt::format("matte \"{}\" rides a region that is gone: choose something else to ride", m.name));
  // What rides an element's own surface needs one.
  if (p.rides == matte::Rides::Surface && p.surface.empty())
    for (const auto& e : shot.elements)
      for (const auto& c : e.cover)
        if (e.on && c.matte == m.id && e.surface().empty())
          say(
              fmt::format("matte \"{}\" rides the surface of \"{}\", which has none: let it ride the screen or a "
                          "surface of its own",
                          m.name, e.name));
}

}  // namespace zentil::shot
