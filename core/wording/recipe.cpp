#include "core/wording/recipe.h"

#include <charconv>

#include "core/base/error.h"
#include "core/camera/film_back.h"
#include "core/edit/element_kinds.h"
#include "core/edit/move.h"
#include "core/exchange/export_choices.h"
#include "core/image/colour.h"
#include "core/image/write.h"
#include "core/set/form.h"
#include "core/shot/track_json.h"
#include "core/shot/trackers.h"
#include "core/value/path.h"
#include "core/wording/matte_words.h"

namespace zentil::wording {
namespace {

const std::vector<std::string> kMerges = {"over", "plus", "screen", "multiply"};

std::string below(const element::Element& e) { return "elements." + e.id + "."; }

/// Calls run with the kind's words and the source, whatever the kind.
template <typename Run>
auto withWords(const element::Element& e, const Run& run) {
  return std::visit([&]<typename Kind>(const Kind& source) { return run(SourceWords<Kind>(), source); }, e.source);
}

/// The same for every kind there is.
template <typename Run, typename... Kinds>
void eachKind(std::type_identity<std::variant<Kinds...>>, const Run& run) {
  (run(SourceWords<Kinds>(), std::type_identity<Kinds>()), ...);
}

void followMap(Sentence& s, const matte::Matte& m, const matte::Part& p, const SettingWords& w) {
  std::visit([&](const auto& content) { addFollows(s, content, m, p, w); }, p.content);
}

}  // namespace

Sentence recipeOf(const Shot& shot, const element::Element& e, int frame) {
  const SettingWords w(shot, frame);
  return withWords(e, [&](auto words, const auto& source) { return words.sentence(e, source, w); });
}

Sentence detailsOf(const Shot& shot, const element::Element& e, int frame) {
  const SettingWords w(shot, frame);
  const FrameRange r = e.range.count() ? e.range : shot.range;
  const auto end = [&](const char* which, int f) {
    Word x = w.number(below(e) + "range." + which);
    x.value = f, x.text = std::to_string(f), x.least = shot.range.first, x.most = shot.range.last;
    return x;
  };
  Sentence s;
  addRow(s, "Opacity");
  s.push_back(w.number(below(e) + "look.opacity"));
  addRow(s, "Frames");
  s.push_back(end("first", r.first));
  s.push_back(SettingWords::plain("to"));
  s.push_back(end("last", r.last));
  const Sentence own = withWords(e, [&](auto words, const auto& source) { return words.details(e, source, w); });
  s.insert(s.end(), own.begin(), own.end());
  if (isCarried(e.place)) {
    addRow(s, "Motion blur");
    s.push_back(w.number(below(e) + "look.shutter"));
    s.push_back(SettingWords::plain("of a frame"));
  }
  addStages(s, e, w);
  if (const matte::Matte* m = shot.matte(e.matte())) {
    addRow(s, "Matte");
    if (m->parts.size() == 1) followMap(s, *m, m->parts.front(), w);
    s.push_back(w.choice("mattes." + m->id + ".inverted", {"as drawn", "inverted"}));
    addRow(s, "Used as");
    s.push_back(w.choice("mattes." + m->id + ".removal", {"plain matte", "removal matte"}));
  }
  return s;
}

Sentence recipeOf(const Shot& shot, const matte::Matte& m, const matte::Part& p, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "mattes." + m.id + ".parts." + p.id + ".";
  Sentence s = {
      w.choice(path + "combine", {"Add", "Take away", "Keep inside"}),
      w.choice(path + "inverted", {"inside", "outside"}),
      SettingWords::plain(
          std::visit([](const auto& content) { return limitOf<std::decay_t<decltype(content)>>(); }, p.content) +
          std::string(","))};
  followMap(s, m, p, w);
  s.back().text += ",";
  s.push_back(SettingWords::plain("softened"));
  s.push_back(w.number(path + "softPx"));
  s.push_back(SettingWords::plain("grown"));
  s.push_back(w.number(path + "growPx"));
  s.push_back(SettingWords::plain("shifted"));
  s.push_back(w.number(path + "shiftPx.x"));
  s.push_back(w.number(path + "shiftPx.y"));
  return s;
}

Sentence recipeOf(const Shot& shot, const set::MovingSurface& f, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "surfaces." + f.id + ".";
  Sentence s = {SettingWords::plain(std::string(nameOf(f.kind)) + " at")};
  s[0].text[0] = static_cast<char>(std::toupper(s[0].text[0]));
  const auto last = [&](const char* list, int count) {
    for (int i = 0; i < count; ++i) {
      s.push_back(w.number(path + list + "." + "xyz"[i]));
      // The unit is said once.
      if (i + 1 < count && s.back().unit == "m") s.back().text.resize(s.back().text.size() - 2), s.back().unit.clear();
    }
  };
  last("position", 3);
  s.push_back(SettingWords::plain("turned"));
  last("turn", 3);
  s.push_back(SettingWords::plain("sized"));
  last("size", set::formOf(f.kind).sizes());
  s.back().text += ",";
  s.push_back(w.choice(path + "occludes", {"hiding nothing.", "occluding."}));
  return s;
}

Sentence recipeOf(const Shot& shot, const shot::PlateUse& p, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "plates." + p.id + ".";
  std::vector<std::pair<std::string, std::string>> spaces;
  for (const auto& c : image::colourSpaces()) spaces.emplace_back(c, c);
  Sentence s = {SettingWords::plain("Its colours are"),
                SettingWords::special(path + "files.colourSpace", p.files.colourSpace, spaces, p.files.colourSpace),
                SettingWords::plain("its frames"), w.number(path + "shift"), SettingWords::plain("later,")};
  s[1].text += ",";
  s.push_back(SettingWords::plain("at"));
  s.push_back(w.number(path + "scale"));
  s.push_back(SettingWords::plain("of the shot's pixels."));
  return s;
}

Sentence deliveryRecipe(const Shot& shot) {
  const SettingWords w(shot, 0);
  const auto& d = shot.delivery;
  const std::string ending = std::filesystem::path(d.pattern).extension().string();
  std::vector<std::pair<std::string, std::string>> endings, compressions;
  for (const auto& e : image::writableEndings())
    endings.emplace_back("." + e, e == "exr"   ? "EXR"
                                  : e == "dpx" ? "DPX"
                                  : e == "png" ? "PNG"
                                  : e == "jpg" ? "JPEG"
                                               : "TIFF");
  for (const auto& c : image::exrCompressions()) compressions.emplace_back(c, c);
  Sentence s = {SettingWords::plain("Deliver frames"),
                w.number("range.first"),
                SettingWords::plain("to"),
                w.number("range.last"),
                SettingWords::plain("as"),
                SettingWords::special("delivery.ending", ending, endings, ending)};
  if (ending == ".exr") {
    s.push_back(w.choice("delivery.halfFloat", {"float", "half float"}));
    s.push_back(SettingWords::special("delivery.compression", d.compression, compressions, d.compression));
  } else if (ending == ".jpg") {
    s.push_back(SettingWords::plain("at quality"));
    s.push_back(w.number("delivery.quality"));
  }
  s.push_back(SettingWords::plain("to"));
  const std::filesystem::path p(d.pattern);
  // By its folder; where the plate's has the same name, by the one above it too.
  auto place = p.parent_path().filename() / p.filename();
  if (p.parent_path().filename() == std::filesystem::path(shot.plate().pattern).parent_path().filename())
    place = p.parent_path().parent_path().filename() / place;
  s.push_back(SettingWords::file("delivery.files", place.string() + ","));
  s.push_back(SettingWords::plain("elements"));
  s.push_back(w.choice("delivery.overPlate", {"alone, on nothing,", "on the plate,"}));
  s.push_back(SettingWords::plain("read"));
  s.push_back(w.choice("delivery.sharpFilter", {"sharp", "sharper"}));
  return s;
}

std::string wordsFor(const Shot& shot, const std::string& path) {
  if (path.ends_with(".covered")) return "matte";
  if (path.ends_with(".follow")) return "follow";
  if (path == "steady.hold") return "hold";
  if (path.ends_with(".match")) return "match";
  if (path.ends_with(".gain")) return "gain";
  if (path == "camera.filmBack") return "film back";
  if (path == "tracking.where") return "place of tracking";
  if (path == "tracking.size") return "pattern";
  if (path.starts_with("lens.key")) return "lens over time";
  if (path == "delivery.ending") return "kind of file";
  if (path == "exportSettings.as") return "export settings";
  if (path == "plate.held") return "frames of the picture";
  if (path == "plate.fields") return "fields";
  const auto s = value::shown(shot, path, 0);
  return s && *s->about.words ? s->about.words : path;
}

namespace {
template <typename... Kinds>
std::vector<ContentOffer> offersOf(std::type_identity<std::variant<Kinds...>>) {
  return {offerOf<Kinds>()...};
}
}  // namespace

std::vector<ContentOffer> contentOffers() {
  auto out = offersOf(std::type_identity<matte::Content>());
  std::erase_if(out, [](const ContentOffer& o) { return !*o.label; });
  return out;
}

std::vector<SourceKind> sourceKinds() {
  std::vector<SourceKind> out;
  eachKind(std::type_identity<element::Source>(), [&]<typename Kind>(auto words, std::type_identity<Kind>) {
    out.push_back({Kind::kKind, words.noun(), words.tip(), edit::isFromFiles<Kind>()});
  });
  return out;
}

std::optional<int> pinOf(const element::Element& e) {
  return withWords(e, [](auto words, const auto& source) { return words.pin(source); });
}

}  // namespace zentil::wording
