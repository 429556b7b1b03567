#include "core/edit/cleanup.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/edit/set_word.h"

namespace zentil::edit {

// A word that is set makes another value of the shot, and strings of the one before go with it: an id may be one.

void takeFrame(shot::Shot& s, const std::string& id, int frame) {
  const std::string path = "elements." + id + ".source.";
  edit::setWord(s, path + "frame", std::to_string(frame), frame);
  edit::setWord(s, path + "picture", "", frame);
}

void takeGrain(shot::Shot& s, const image::Grain& grain, const std::string& id) {
  if (auto* plate = s.plateUse(s.worked().id)) plate->grain = grain;
  if (auto* e = s.element(id)) e->look.freshGrain = true;
}

namespace {
/// The shift of a source that has one; null for others.
element::Elsewhere* shiftOf(element::Element& e) {
  return std::visit(
      [](auto& source) -> element::Elsewhere* {
        if constexpr (requires { source.from.acrossM; })
          return &source.from;
        else
          return nullptr;
      },
      e.source);
}
}  // namespace

void takeElsewhere(shot::Shot& s, const std::string& id, const Vec2& fromM, int frame) {
  auto* e = s.element(id);
  auto* from = e ? shiftOf(*e) : nullptr;
  if (!from) throw Error("it is not taken from a place on a surface", "Choose a patch or a fill");
  from->acrossM.put(frame, fromM.x()), from->upM.put(frame, fromM.y());
}

Vec2 elsewhereOf(const shot::Shot& s, const std::string& id, int frame) {
  const auto* e = s.element(id);
  const auto* from = e ? shiftOf(const_cast<element::Element&>(*e)) : nullptr;
  return from ? from->at(frame) : Vec2(0, 0);
}

void takeLevel(shot::Shot& s, const std::string& id, const element::Rgb& gain, int frame) {
  auto* e = s.element(id);
  if (!e) throw Error("the element is gone", "Choose another");
  e->look.gain.put(frame, gain), e->look.offset.put(frame, element::Rgb{0, 0, 0});
  e->look.matched = true;
}

void takeShade(shot::Shot& s, const std::string& id, const measure::Shade& shade, int frame) {
  std::vector<std::pair<std::string, std::string>> words;
  const char* channels[] = {"r", "g", "b"};
  for (size_t c = 0; c < 3; ++c)
    words.emplace_back("elements." + id + ".source.transmission." + channels[c],
                       fmt::format("{:.8f}", 100 * shade.transmission[c]));
  const auto* e = s.element(id);
  const auto* m = e ? s.matte(e->matte()) : nullptr;
  const bool plain = m && m->parts.size() == 1 && !m->inverted && !e->cover.front().inverted;
  const matte::Part* p = plain ? &m->parts.front() : nullptr;
  if (p && matte::shapesOf(*p) && !p->softPx.keyed() && !p->growPx.keyed()) {
    // A matte's softness falls outwards from its outline; its half lies in the middle of that.
    const double half = p->growPx.constant() + p->softPx.constant() / 2 + shade.edge.shiftPx;
    const std::string part = "mattes." + m->id + ".parts." + p->id + ".";
    words.emplace_back(part + "softPx", fmt::format("{:.4f}", shade.edge.widthPx));
    words.emplace_back(part + "growPx", fmt::format("{:.4f}", half - shade.edge.widthPx / 2));
  }
  for (const auto& [path, value] : words) edit::setWord(s, path, value, frame);
}

}  // namespace zentil::edit
