#include "core/edit/mend.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/shot/recipe.h"
#include "core/shot/source_words.h"

namespace zentil::edit {

// A word that is set makes another value of the shot, and strings of the one before go with it: an id may be one.

void takeFrame(shot::Shot& s, const std::string& id, int frame) {
  const std::string path = "elements." + id + ".source.";
  shot::setWord(s, path + "frame", std::to_string(frame), frame);
  shot::setWord(s, path + "picture", "", frame);
}

namespace {
element::Gathered& gatheredOf(shot::Shot& s, const std::string& id) {
  auto* e = s.element(id);
  auto* g = e ? e->from<element::Gathered>() : nullptr;
  if (!g) throw Error("it is not put together from frames", "Choose a fill");
  return *g;
}
}  // namespace

void gatherAll(shot::Shot& s, const std::string& id, int first) {
  auto& g = gatheredOf(s, id);
  g.frames = shot::framesToGather(s, g.plate, first);
}

void gatherFrom(shot::Shot& s, const std::string& id, const std::vector<int>& frames) {
  auto& g = gatheredOf(s, id);
  g.frames = frames;
  g.together = element::Together::OneEach;
}

void takeGrain(shot::Shot& s, const image::Grain& grain, const std::string& id) {
  if (auto* plate = s.plateUse(s.worked().id)) plate->grain = grain;
  if (auto* e = s.element(id)) e->look.freshGrain = true;
}

void takeShade(shot::Shot& s, const std::string& id, const measure::Shade& shade, int frame) {
  std::vector<std::pair<std::string, std::string>> words;
  const char* channels[] = {"r", "g", "b"};
  for (size_t c = 0; c < 3; ++c)
    words.emplace_back("elements." + id + ".source.lets." + channels[c], fmt::format("{:.8f}", 100 * shade.lets[c]));
  const auto* e = s.element(id);
  const auto* m = e ? s.matte(e->matte()) : nullptr;
  const bool plain = m && m->parts.size() == 1 && !m->inverted && !e->cover.front().inverted;
  const matte::Part* p = plain ? &m->parts.front() : nullptr;
  if (p && shapesOf(*p) && !p->softPx.keyed() && !p->growPx.keyed()) {
    // A matte's softness falls outwards from its outline; its half lies in the middle of that.
    const double half = p->growPx.constant() + p->softPx.constant() / 2 + shade.edge.shiftPx;
    const std::string part = "mattes." + m->id + ".parts." + p->id + ".";
    words.emplace_back(part + "softPx", fmt::format("{:.4f}", shade.edge.widthPx));
    words.emplace_back(part + "growPx", fmt::format("{:.4f}", half - shade.edge.widthPx / 2));
  }
  for (const auto& [path, value] : words) shot::setWord(s, path, value, frame);
}

}  // namespace zentil::edit
