#include "core/edit/set_word.h"

#include <charconv>

#include "core/base/error.h"
#include "core/camera/film_back.h"
#include "core/edit/far_place.h"
#include "core/edit/lens.h"
#include "core/edit/move.h"
#include "core/edit/new_shot.h"
#include "core/edit/output.h"
#include "core/edit/paint_edit.h"
#include "core/edit/steady.h"
#include "core/exchange/export_choices.h"
#include "core/image/colour.h"
#include "core/image/write.h"
#include "core/shot/track_json.h"
#include "core/shot/trackers.h"
#include "core/value/path.h"

namespace zentil::edit {
namespace {

double frameWithin(const shot::Shot& shot, const std::string& value) {
  const FrameRange r = shot.worked().range();
  return value::parseClamped(value, value::About().within(r.first, r.last));
}

void setRange(FrameRange& range, const FrameRange& whole, bool first, const std::string& value) {
  FrameRange r = range.count() ? range : whole;
  (first ? r.first : r.last) =
      static_cast<int>(value::parseClamped(value, value::About().within(whole.first, whole.last)));
  if (r.count() == 0) throw Error("the range would be empty", "Give the smaller frame first");
  range = r;
}

/// The words of a lens whose coefficients may be keyed all together; true when it was one of them.
bool setLens(lens::Lens& l, const std::string& what, const std::string& value, int frame) {
  static const std::vector<std::string> kCoefficients = {"k1", "k2", "k3", "p1", "p2"};
  const auto it = std::find(kCoefficients.begin(), kCoefficients.end(), what);
  if (it != kCoefficients.end()) {
    auto values = l.coefficientsAt(frame);
    values.at(static_cast<size_t>(it - kCoefficients.begin())) =
        value::parseClamped(value, value::About().within(-10, 10).in("", 4));
    l.setCoefficients(frame, values);
    l.source = "typed";
  } else if (what == "keyed") {
    const auto now = l.coefficientsAt(frame);
    l.keys = {};
    l.setCoefficients(frame, now);
    if (value == "1") l.keys.put(frame, now);
  } else if (what == "keyHere") {
    if (value == "1")
      l.keys.put(frame, l.coefficientsAt(frame));
    else if (l.keys.all().size() > 1)
      l.keys.erase(frame);
  } else {
    return false;
  }
  return true;
}

matte::Part* partAt(shot::Shot& shot, std::string_view path) {
  auto [matteId, rest] = value::cut(path);
  auto [parts, more] = value::cut(rest);
  auto* m = shot.matte(std::string(matteId));
  return m && parts == "parts" ? m->part(std::string(value::cut(more).first)) : nullptr;
}

/// Of an element, what is no setting by itself.
bool setElement(shot::Shot& shot, std::string_view id, std::string_view what, const std::string& value, int frame) {
  auto* e = shot.element(std::string(id));
  if (!e) throw Error(fmt::format("there is no element \"{}\"", id), "Name one that the shot has");
  if (what == "match" && (value == "0" || value == "1")) {
    if (value == "1" && !e->look.hasMatch())
      throw Error(fmt::format("\"{}\" has no match yet", e->name), "Measure it on a frame, or type its gain");
    e->look.matched = value == "1";
    e->look.light = element::Light::AsSet;
    return true;
  }
  if (what == "match" && (value == "level" || value == "slope")) {
    e->look.matched = true;
    e->look.light = named<element::Light>(value);
    return true;
  }
  if (what.starts_with("source.strokes.") && what.ends_with(".only") && (value == "0" || value == "1")) {
    return setOnlyHere(*e, what.substr(15, what.size() - 15 - 5), value == "1");
  }
  if (what == "on") {
    const auto [kind, which] = std::pair(value.substr(0, value.find(' ')), value.substr(value.find(' ') + 1));
    if (kind == "surface" && shot.surface(which))
      e->place = element::onSurface(which);
    else if (int id = 0; kind == "region" &&
                         std::from_chars(which.data(), which.data() + which.size(), id).ec == std::errc() &&
                         shot::regionOf(shot, id))
      e->place = element::onRegion(id);
    else if (kind == "infinity")
      e->place = farPlaceOf(*e);
    else if (kind == "screen")
      e->place = element::onScreen();
    else
      throw Error(fmt::format("there is no \"{}\" to be on", value), "Choose from the list");
    return true;
  }
  if (what == "gain") {
    const double wanted = value::parseClamped(value, value::About().within(0, 100).in("", 2));
    element::Rgb gain = e->look.gain.at(frame);
    const double mean = (gain[0] + gain[1] + gain[2]) / 3;
    // What they are to each other stays.
    for (double& g : gain) g = mean > 0 ? std::min(100.0, g * wanted / mean) : wanted;
    e->look.gain.put(frame, gain);
    e->look.matched = true;
    return true;
  }
  if (what == "covered") {
    if (value.empty()) {
      e->cover.clear();
      return true;
    }
    if (!shot.matte(value)) throw Error("that matte is not there", "Choose one from the list");
    if (e->cover.empty()) e->cover.emplace_back();
    e->cover.front().matte = value;
    return true;
  }
  if (what == "range.first" || what == "range.last") {
    setRange(e->range, shot.range, what == "range.first", value);
    return true;
  }
  if (what == "source.files.layer") {
    const auto layers = value::shown(*e, "source.files.layer", 0);
    const auto source = value::find(*e, "source.files");
    const auto* files = source ? source->as<image::Plate>() : nullptr;
    if (layers && !(files && std::find(files->layers.begin(), files->layers.end(), value) != files->layers.end()))
      throw Error(fmt::format("its files have no layer \"{}\"", value), "Choose one that they have");
  }
  return false;
}

/// What a part of a matte follows.
bool setFollow(shot::Shot& shot, std::string_view rest, const std::string& value) {
  auto* p = partAt(shot, rest);
  if (!p) throw Error("that part of the matte is gone", "Choose another");
  if (value.starts_with("region ")) {
    const int region = static_cast<int>(value::numberFrom(value.substr(7)));
    if (std::none_of(shot.regions.begin(), shot.regions.end(), [&](const auto& r) { return r.id == region; }))
      throw Error("that region is not there", "Choose one from the list");
    p->follows = matte::Follows::Region, p->region = region;
  } else {
    p->follows = named<matte::Follows>(value);
  }
  return true;
}

bool setFilmBack(shot::Shot& shot, const std::string& value) {
  const auto& known = camera::filmBacks();
  const auto it = std::find_if(known.begin(), known.end(), [&](const auto& b) { return b.name == value; });
  if (it == known.end()) throw Error(fmt::format("\"{}\" is no format that is known here", value), "Type its size");
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  camera->backWidthMm = it->widthMm, camera->backHeightMm = it->heightMm;
  shot.camera = camera;
  return true;
}

/// What is no setting by itself; true when the path was one.
bool setSpecial(shot::Shot& shot, const std::string& path, const std::string& value, int frame) {
  const auto [list, rest] = value::cut(path);
  const auto [id, what] = value::cut(rest);
  if (list == "elements") return setElement(shot, id, what, value, frame);
  if (list == "spots" && path.ends_with(".depth"))
    throw Error("a spot's depth source cannot be set directly",
                "Use the edit {\"spot\": ID, \"from\": ...}, which finds the spot again");
  if (list == "mattes" && path.ends_with(".follow")) return setFollow(shot, rest, value);
  if (path == "range.first" || path == "range.last") {
    FrameRange r = shot.range;
    setRange(r, shot.worked().range(), path == "range.first", value);
    shot.range = r;
    return true;
  }
  if (path == "tracking.where") {
    const bool inside = value.starts_with("+");
    const std::string matte = value.substr(inside ? 1 : 0);
    if (!matte.empty() && !shot.matte(matte)) throw Error("that matte is gone", "Choose another");
    shot.tracking.onlyInside = inside, shot.tracking.matte = matte;
    return true;
  }
  if (path == "tracking.size") {
    const double px = value::parseClamped(value, value::About().within(7, 101).in("px", 0));
    shot.tracking.follow.half = (static_cast<int>(px) - 1) / 2;
    return true;
  }
  if (list == "lens") return setLens(shot.lens, std::string(rest), value, frame);
  if (path == "exportSettings.as") {
    const auto all = exchange::exportChoices();
    const auto it = all.find(value);
    if (it == all.end()) throw Error(fmt::format("no choices are kept as \"{}\"", value), "Choose from the list");
    // Where to is the shot's own matter.
    const std::string folder = shot.exportSettings.folder;
    shot.exportSettings = it->second, shot.exportSettings.folder = folder;
    return true;
  }
  if (path == "plate.held") {
    holdStill(shot, static_cast<int>(value::parseClamped(value, value::About().within(1, 1000000))));
    return true;
  }
  if (path == "plate.fields") {
    useFields(shot, named<image::Fields>(value));
    return true;
  }
  if (path == "camera.filmBack") return setFilmBack(shot, value);
  if (path == "delivery.ending") {
    const auto& endings = image::writableEndings();
    if (!value.starts_with(".") || std::find(endings.begin(), endings.end(), value.substr(1)) == endings.end())
      throw Error(fmt::format("\"{}\" cannot be written", value), "Choose one of the endings");
    std::filesystem::path p(shot.delivery.pattern);
    shot.delivery.pattern = p.replace_extension(value).string();
    return true;
  }
  return false;
}

}  // namespace

void setWord(shot::Shot& shot, const std::string& path, const std::string& value, int frame) {
  shot::Shot next = shot;
  if (!setSpecial(next, path, value, frame)) {
    const auto s = value::shown(next, path, frame);
    if (!s) throw Error(fmt::format("there is no setting \"{}\"", path), "Name one that the shot has");
    if (*s->about.refers) {
      const auto things = thingsOf(next, s->about.refers);
      const bool none = value.empty() && *s->about.none;
      if (!none && std::none_of(things.begin(), things.end(), [&](const auto& x) { return x.first == value; }))
        throw Error(fmt::format("\"{}\" is none of its {}", value, s->about.refers), "Choose one from the list");
    }
    if (s->about.isFrame && s->is == value::Shown::Is::Whole) frameWithin(next, value);
    if (path == "delivery.compression") {
      const auto& known = image::exrCompressions();
      if (std::find(known.begin(), known.end(), value) == known.end())
        throw Error(fmt::format("\"{}\" is no compression of EXR", value), "Choose one from the list");
    }
    if (path.ends_with("colourSpace")) {
      const auto& known = image::colourSpaces();
      if (std::find(known.begin(), known.end(), value) == known.end())
        throw Error(fmt::format("\"{}\" is no colour space that is known here", value), "Choose one from the list");
    }
    const bool fitted = !likelyBackHeight(next);
    value::setText(next, path, value, frame);
    if (path == "steady.hold") beginSteady(next);
    if (path == "output.kind") beginOutput(next, frame);
    if (path.starts_with("move.")) useMove(next);
    // What is typed of a match is meant to be seen.
    if (auto* e = path.starts_with("elements.") && path.find(".look.") != std::string::npos
                      ? next.element(std::string(value::cut(value::cut(path).second).first))
                      : nullptr)
      for (const char* of : {".look.gain", ".look.offset", ".look.saturation"})
        if (path.find(of) != std::string::npos) e->look.matched = true;
    // Wider pixels are a wider picture: a film back that was as the picture stays so, until a camera says otherwise.
    if (path.ends_with("pixelAspect") && fitted && next.camera->empty()) fitBack(next);
  }
  if (path.starts_with("lens.")) next.lens.maps = nullptr, next.lensProblem.clear();
  shot = std::move(next);
}

std::vector<std::pair<std::string, std::string>> thingsOf(const shot::Shot& shot, const std::string& list) {
  std::vector<std::pair<std::string, std::string>> out;
  const auto take = [&](const auto& things) {
    for (const auto& x : things) out.emplace_back(x.id, x.name);
  };
  if (list == "surfaces") take(shot.surfaces);
  if (list == "spots") take(shot.spots);
  if (list == "mattes") take(shot.mattes);
  if (list == "plates") take(shot.plates);
  if (list == "elements") take(shot.elements);
  return out;
}

}  // namespace zentil::edit
