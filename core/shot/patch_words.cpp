#include "core/element/patch_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using PatchWords = SourceWords<element::Patch>;
}

template <>
const char* PatchWords::noun() {
  return "patch";
}
template <>
const char* PatchWords::tip() {
  return "Cover something with a piece of this frame: go to the frame where the place is clean, then click";
}
template <>
bool PatchWords::fromFiles() {
  return false;
}

template <>
Sentence PatchWords::sentence(const element::Element& e, const element::Patch& h, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s;
  if (isCarried(e.place))
    s = {Wording::plain("Cover"), placeWord(e, w), Wording::plain("with")};
  else
    s = {Wording::plain(std::string("Put ") + whereOf(e.place))};
  s.push_back(w.number(path + "source.frame", "frame "));
  if (!h.plate.empty()) {
    s.push_back(Wording::plain("of"));
    s.push_back(w.thing(path + "source.plate"));
  }
  if (!h.picture.empty())
    s.push_back(Wording::file(path + "source.picture",
                              "as painted in " + std::filesystem::path(h.picture).filename().string()));
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence PatchWords::details(const element::Element& e, const element::Patch&, const Wording& w) {
  Sentence s;
  addMatch(s, e, w, isCarried(e.place));
  addMerge(s, e, w);
  const Sentence more = plateDetails(e, w);
  s.insert(s.end(), more.begin(), more.end());
  return s;
}

template <>
std::vector<Action> PatchWords::actions() {
  return {
      {"useFrame", "Use this frame", "Take the patch from the frame that is shown"},
      {"findFrames", "Find the best frame",
       "Weighs every frame as a source for this place: what it shows, how sharp, in what light"},
      {"elsewhere", "From elsewhere", "Drag from the place to where on its surface it is to be taken from"},
      {"snapRepeat", "Snap to a repeat",
       "Where the surface looks the same a step further on: boards, bricks, slabs; near the shift it has, or anywhere"},
      {"drawMatte", "Draw its matte", "Click around the part to cover; click the first point to close"},
      {"putOnCard", "Put on a card",
       "The outlined thing is in front of the surface: measures its distance, puts its matte on a card there, and "
       "takes nothing "
       "from there"},
      {"picture", "Clean picture\u2026", "A painted picture instead of the source frame"},
      {"mattePictures", "Matte pictures\u2026", "An image sequence as the matte"}};
}

template <>
void PatchWords::problems(const element::Element& e, const element::Patch& h, const Shot& shot,
                          std::vector<Problem>& out) {
  const PlateUse* plate = h.plate.empty() ? &shot.worked() : shot.plateUse(h.plate);
  if (!plate) {
    out.push_back({fmt::format("\"{}\" takes its frame from a plate that is gone: choose another", e.name)});
    return;
  }
  if (!plate->range().contains(h.frame) && h.picture.empty())
    out.push_back(
        {fmt::format("\"{}\" takes frame {}, which the plate does not have: choose another", e.name, h.frame)});
  if ((!shot.camera->empty() || !wantsCamera(e.place)) && !carries(shot, e.place, h.frame))
    out.push_back({fmt::format("\"{}\" is held at frame {}, where {}: choose another", e.name, h.frame,
                               wantsCamera(e.place) ? "the camera has no pose" : "its region was not followed to")});
  std::error_code ec;
  if (!h.picture.empty() && !std::filesystem::exists(h.picture, ec))
    out.push_back({fmt::format("\"{}\": its clean picture {} is missing: restore it", e.name, h.picture)});
}

template <>
std::optional<int> PatchWords::pin(const element::Patch& h) {
  return h.frame;
}

template <>
element::Element PatchWords::fresh(const Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  e.source = element::Patch{frame, {}, {}};
  e.name = "Patch on " + nameOfPlace(shot, e.place);
  return e;
}

}  // namespace zentil::shot
