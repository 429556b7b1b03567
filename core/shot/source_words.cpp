#include "core/shot/source_words.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/trackers.h"

namespace zentil::shot {

Word coverWord(const element::Element& e, const Wording& w) {
  auto mattes = w.things("mattes");
  mattes.insert(mattes.begin(), {"", "everywhere"});
  return Wording::special("elements." + e.id + ".covered", e.matte(), mattes, "everywhere");
}

void addCover(Sentence& s, const element::Element& e, const Wording& w) {
  const matte::Matte* m = w.shot().matte(e.matte());
  if (m && !s.back().text.ends_with(',')) s.back().text += ",";
  s.push_back(Wording::plain(m ? "inside" : "shown"));
  s.push_back(coverWord(e, w));
  if (e.cover.size() > 1) s.push_back(Wording::plain(fmt::format("and {} more mattes", e.cover.size() - 1)));
  if (m && m->parts.size() == 1) {
    s.push_back(Wording::plain("softened"));
    s.push_back(w.number("mattes." + m->id + ".parts." + m->parts.front().id + ".softPx"));
  }
  s.back().text += ",";
}

void addMatch(Sentence& s, const element::Element& e, const Wording& w, bool follows) {
  (void)w;
  const bool has = e.look.hasMatch();
  std::vector<std::pair<std::string, std::string>> choices = {{"0", "as it is"}, {"1", "matched in level"}};
  if (has) choices.emplace_back("again", "matched anew on this frame");
  if (follows) {
    choices.emplace_back("level", "following the light around it");
    choices.emplace_back("slope", "following the light around it and across it");
  }
  std::string now = has && e.look.matched ? "1" : "0";
  if (e.look.matched && e.look.light == element::Light::Level) now = "level";
  if (e.look.matched && e.look.light == element::Light::Slope) now = "slope";
  s.push_back(Wording::special("elements." + e.id + ".match", now, std::move(choices)));
  s.back().text += ",";
}

Word placeWord(const element::Element& e, const Wording& w) {
  std::vector<std::pair<std::string, std::string>> choices;
  for (const auto& [id, name] : w.things("surfaces")) choices.emplace_back("surface " + id, name);
  for (const auto& r : w.shot().regions) choices.emplace_back("region " + std::to_string(r.id), r.name);
  const int region = regionOf(e.place);
  return Wording::special("elements." + e.id + ".on",
                          region >= 0 ? "region " + std::to_string(region) : "surface " + e.surface(),
                          std::move(choices),
                          region >= 0              ? "a region that is gone"
                          : isOnTheScreen(e.place) ? "the screen"
                                                   : "no surface");
}

std::string nameOfPlace(const Shot& shot, const element::Place& place) {
  if (const auto* s = shot.surface(surfaceOf(place))) return s->name;
  if (const auto* r = regionOf(shot, regionOf(place))) return r->name;
  return whereOf(place);
}

bool carries(const Shot& shot, const element::Place& place, int frame) {
  if (const int id = regionOf(place); id >= 0) {
    const auto* r = regionOf(shot, id);
    return r && r->has(frame);
  }
  return !wantsCamera(place) || shot.hasCamera(frame);
}

void addMerge(Sentence& s, const element::Element& e, const Wording& w) {
  s.push_back(Wording::plain("laid"));
  s.push_back(w.choice("elements." + e.id + ".look.merge", {}));
  s.push_back(Wording::plain("the plate."));
}

Sentence plateDetails(const element::Element& e, const Wording& w) {
  Sentence s = matchDetails(e, w);
  const std::string path = "elements." + e.id + ".source.";
  if (wantsSurface(e.place)) {
    s.push_back(Wording::plain("\u00b7 taken from"));
    s.push_back(w.number(path + "from.acrossM"));
    s.push_back(Wording::plain("to the right,"));
    s.push_back(w.number(path + "from.upM"));
    s.push_back(Wording::plain("up"));
  }
  if (w.shot().plates.size() > 1) {
    s.push_back(Wording::plain("\u00b7 from"));
    s.push_back(w.thing(path + "plate"));
  }
  return s;
}

void addGrain(Sentence& s, const element::Element& e, const Wording& w) {
  s.push_back(w.choice("elements." + e.id + ".look.freshGrain", {"its grain as it is,", "with fresh grain,"}));
}

void grainProblems(const element::Element& e, const Shot& shot, bool keepsOwn, std::vector<Problem>& out) {
  if (!e.look.freshGrain) return;
  if (keepsOwn)
    out.push_back(
        {fmt::format("\"{}\" keeps the grain of its own frames, so no fresh grain is laid on it: let it be "
                     "averaged",
                     e.name)});
  else if (!shot.worked().grain.known())
    out.push_back(
        {fmt::format("\"{}\" has no fresh grain, as the plate's grain was not measured: measure it on a "
                     "fill",
                     e.name)});
}

Sentence matchDetails(const element::Element& e, const Wording& w) {
  Sentence s = {Wording::plain("\u00b7 gain")};
  // One for all of them, then each.
  const auto gain = e.look.gain.at(w.frame());
  Word all = w.number("elements." + e.id + ".look.gain.g");
  all.key = "elements." + e.id + ".gain";
  all.value = (gain[0] + gain[1] + gain[2]) / 3;
  all.text = fmt::format("{:.2f},", all.value);
  s.push_back(all);
  for (const char c : {'r', 'g', 'b'}) s.push_back(w.number("elements." + e.id + ".look.gain." + c));
  s.push_back(Wording::plain("offset"));
  for (const char c : {'r', 'g', 'b'}) s.push_back(w.number("elements." + e.id + ".look.offset." + c));
  s.push_back(Wording::plain("saturation"));
  s.push_back(w.number("elements." + e.id + ".look.saturation"));
  if (e.look.freshGrain) {
    s.push_back(Wording::plain("\u00b7 grain"));
    s.push_back(w.number("elements." + e.id + ".look.grain"));
  }
  if (e.look.light != element::Light::AsSet) {
    s.push_back(Wording::plain("· light steadied over"));
    s.push_back(w.number("elements." + e.id + ".look.steadyFrames"));
    s.push_back(Wording::plain("frames to each side"));
  }
  return s;
}

void addLayers(Sentence& s, const std::string& path, const image::Plate& files) {
  if (files.layers.size() < 2) return;
  std::vector<std::pair<std::string, std::string>> layers;
  for (const auto& l : files.layers) layers.emplace_back(l, l.empty() ? "the nameless one" : l);
  s.push_back(Wording::plain("\u00b7 of its layers"));
  s.push_back(Wording::special(path, files.layer.empty() ? files.layers.front() : files.layer, layers));
}

void sequenceProblems(const element::Element& e, const image::Plate& files, int shift, element::Beyond beyond,
                      const Shot& shot, std::vector<Problem>& out) {
  if (files.empty()) {
    out.push_back({fmt::format("\"{}\" has no files: choose some in its sentence", e.name)});
    return;
  }
  std::error_code ec;
  std::vector<int> gone, touched;
  const FrameRange range = e.range.count() ? overlap(e.range, shot.range) : shot.range;
  for (int f = range.first; f <= range.last; ++f)
    if (const auto r = element::sequenceFrame(files.range, f - shift, beyond);
        r && !std::filesystem::exists(files.fileOf(*r), ec))
      gone.push_back(*r), touched.push_back(f);
  std::sort(gone.begin(), gone.end());
  gone.erase(std::unique(gone.begin(), gone.end()), gone.end());
  if (!gone.empty())
    out.push_back({files.pattern.find('#') == std::string::npos
                       ? fmt::format("\"{}\": {} is not there: put it back or choose another", e.name, files.pattern)
                       : fmt::format("\"{}\": frames {} of {} have no file: render them again", e.name,
                                     describeFrames(gone), files.pattern),
                   true, touched});
  if (beyond == element::Beyond::Nothing &&
      (range.first - shift < files.range.first || range.last - shift > files.range.last))
    out.push_back(
        {fmt::format("\"{}\" shows on frames {} to {} only (its frames {} to {}{}); the shot goes from {} to {}",
                     e.name, files.range.first + shift, files.range.last + shift, files.range.first, files.range.last,
                     shift ? fmt::format(", {} later", shift) : std::string(), range.first, range.last),
         false});
  if (std::abs(files.fps - shot.plate().fps) > 1e-3)
    out.push_back(
        {fmt::format("\"{}\" was rendered at {:g} frames a second, the plate has {:g}: frame stands for frame "
                     "all the same",
                     e.name, files.fps, shot.plate().fps),
         false});
}

element::Element onSurface(const Shot& shot, const std::string& surface) {
  if ((shot.camera->empty() || shot.surfaces.empty()) && !shot.regions.empty()) {
    element::Element e;
    e.place = element::onRegion(shot.regions.front().id);
    return e;
  }
  if (shot.camera->empty())
    throw Error("an element needs a camera", "Solve one at Camera, load one, or hold it still (Camera stands still)");
  if (shot.surfaces.empty()) throw Error("an element lands on a surface", "Aim a plane at Set first");
  element::Element e;
  e.place = element::onSurface(shot.surface(surface) ? surface : shot.surfaces.front().id);
  return e;
}

}  // namespace zentil::shot
