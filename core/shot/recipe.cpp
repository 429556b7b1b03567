#include "core/shot/recipe.h"

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/error.h"
#include "core/image/write.h"

namespace zentil::shot {
namespace {

Word plain(const std::string& text) {
  Word w;
  w.text = text;
  return w;
}

Word choice(const std::string& key, const std::string& chosen, std::vector<std::pair<std::string, std::string>> choices,
            const std::string& whenNone) {
  Word w;
  w.kind = Word::Kind::Choice;
  w.key = key;
  w.chosen = chosen;
  w.text = whenNone;
  for (const auto& [value, label] : choices)
    if (value == chosen) w.text = label;
  w.choices = std::move(choices);
  return w;
}

Word number(const std::string& key, double value, double least, double most, double step, const std::string& unit,
            int decimals) {
  Word w;
  w.kind = Word::Kind::Number;
  w.key = key;
  w.value = value, w.least = least, w.most = most, w.step = step;
  w.unit = unit;
  // Rounded first, so that no "-0.0" is read.
  const double tens = std::pow(10.0, decimals);
  w.text = fmt::format("{:.{}f}{}{}", std::round(value * tens) / tens + 0.0, decimals,
                       unit.empty() || unit == "%" || unit == "\u00b0" ? "" : " ", unit);
  return w;
}

Word frameWord(const std::string& key, int frame, const FrameRange& range, const std::string& before = "") {
  Word w;
  w.kind = Word::Kind::Frame;
  w.key = key;
  w.value = frame, w.least = range.first, w.most = range.last;
  w.text = before + std::to_string(frame);
  return w;
}

std::vector<std::pair<std::string, std::string>> surfacesToChoose(const Shot& shot) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const auto& s : shot.surfaces) out.emplace_back(s.id, s.name);
  return out;
}

double numberFrom(const std::string& value) {
  char* end = nullptr;
  const double v = std::strtod(value.c_str(), &end);
  while (end && *end && std::isspace(static_cast<unsigned char>(*end))) ++end;
  if (end == value.c_str() || !std::isfinite(v))
    throw Error(fmt::format("\"{}\" is not a number", value), "Type digits, with a point for decimals");
  return v;
}

double within(const std::string& value, double least, double most) {
  const double v = numberFrom(value);
  if (v < least || v > most)
    throw Error(fmt::format("{:g} is outside {:g} to {:g}", v, least, most), "Type a value in that range");
  return v;
}

constexpr double kFar = 1e5;

}  // namespace

Vec3 turnDegrees(const Mat3& m) {
  // m = Ry Rx Rz
  const double x = std::asin(std::clamp(-m(1, 2), -1.0, 1.0));
  double y, z;
  if (std::abs(m(1, 2)) < 0.9999999)
    y = std::atan2(m(0, 2), m(2, 2)), z = std::atan2(m(1, 0), m(1, 1));
  else
    y = std::atan2(-m(2, 0), m(0, 0)), z = 0;
  return Vec3(x, y, z) * 180 / M_PI;
}

Mat3 turnFromDegrees(const Vec3& d) {
  const Vec3 r = d * M_PI / 180;
  return (Eigen::AngleAxisd(r.y(), Vec3::UnitY()) * Eigen::AngleAxisd(r.x(), Vec3::UnitX()) *
          Eigen::AngleAxisd(r.z(), Vec3::UnitZ()))
      .toRotationMatrix();
}

Sentence recipeOf(const Shot& shot, const element::Element& e) {
  Sentence s;
  const auto merges = std::vector<std::pair<std::string, std::string>>{
      {"over", "over"}, {"plus", "plus"}, {"screen", "screen"}, {"multiply", "multiply"}};
  if (e.kind == element::Kind::Checker) {
    s = {plain("Lay"),      choice("lines", e.lines ? "1" : "0", {{"0", "a checkerboard"}, {"1", "a grid"}}, ""),
         plain("of"),       number("square", e.squareM, 0.001, 1000, 0.05, "m", 2),
         plain("on"),       choice("surface", e.surface, surfacesToChoose(shot), "no surface"),
         plain("at"),       number("opacity", e.opacity * 100, 0, 100, 5, "%", 0),
         plain("strength.")};
    return s;
  }
  std::vector<std::pair<std::string, std::string>> mattes = {{"", "everywhere"}};
  for (const auto& m : shot.mattes) mattes.emplace_back(m.id, m.name);
  if (e.kind == element::Kind::Cg) {
    Word w;
    w.kind = Word::Kind::Text;
    w.key = "render";
    w.text = std::filesystem::path(e.render.pattern).filename().string() + ",";
    s = {plain("Bend"), w, choice("shadow", e.shadow ? "1" : "0", {{"0", "a picture"}, {"1", "a shadow pass"}}, "")};
    s.back().text += ",";
    s.push_back(plain("onto the plate, seen"));
    s.push_back(choice("matte", e.matte, mattes, "everywhere"));
    s.back().text += ",";
    if (e.shadow) {
      s.push_back(plain("darkening it."));
    } else {
      s.push_back(plain("laid"));
      s.push_back(choice("merge", nameOf(e.merge), merges, "over"));
      s.push_back(plain("it."));
    }
    return s;
  }
  s = {plain("Cover what stands before"), choice("surface", e.surface, surfacesToChoose(shot), "no surface"),
       plain("with"), frameWord("sourceFrame", e.sourceFrame, shot.plate.range, "frame ")};
  if (!e.picture.empty()) {
    Word w;
    w.kind = Word::Kind::Text;
    w.key = "picture";
    w.text = "as painted in " + std::filesystem::path(e.picture).filename().string();
    s.push_back(w);
  }
  const matte::Matte* m = shot.matte(e.matte);
  s.back().text += m ? "," : "";
  s.push_back(plain(m ? "inside" : "shown"));
  s.push_back(choice("matte", e.matte, mattes, "everywhere"));
  if (m) {
    s.push_back(plain("softened"));
    s.push_back(number("feather", m->featherPx, 0, 500, 1, "px", 0));
  }
  const bool matched = e.gain != std::array{1.0, 1.0, 1.0} || e.offset != std::array{0.0, 0.0, 0.0};
  s.back().text += ",";
  s.push_back(choice("match", matched ? "1" : "0", {{"0", "as it is"}, {"1", "matched in level"}}, ""));
  s.back().text += ",";
  s.push_back(plain("laid"));
  s.push_back(choice("merge", nameOf(e.merge), merges, "over"));
  s.push_back(plain("the plate."));
  return s;
}

Sentence detailsOf(const Shot& shot, const element::Element& e) {
  const FrameRange r = e.range.count() ? e.range : shot.range;
  Sentence s = {plain("Strength"),  number("opacity", e.opacity * 100, 0, 100, 5, "%", 0),
                plain("on frames"), frameWord("first", r.first, shot.range),
                plain("to"),        frameWord("last", r.last, shot.range)};
  if (e.kind == element::Kind::Cg) {
    s.push_back(plain("\u00b7 moved by"));
    s.push_back(number("shift", e.shift, -100000, 100000, 1, "frames,", 0));
    s.push_back(plain("beyond its ends"));
    s.push_back(choice("beyond", nameOf(e.beyond), {{"nothing", "nothing"}, {"hold", "held"}, {"loop", "looped"}}, ""));
    if (e.render.layers.size() > 1) {
      std::vector<std::pair<std::string, std::string>> layers;
      for (const auto& l : e.render.layers) layers.emplace_back(l, l.empty() ? "the nameless one" : l);
      s.push_back(plain("\u00b7 of its layers"));
      s.push_back(choice("layer", e.render.layer.empty() ? e.render.layers.front() : e.render.layer, layers, ""));
    }
    if (!e.shadow) {
      s.push_back(plain("\u00b7 colour"));
      s.push_back(choice("premultiplied", e.premultiplied ? "1" : "0",
                         {{"1", "multiplied by alpha already"}, {"0", "not multiplied by alpha yet"}}, ""));
    }
  }
  if (e.kind != element::Kind::Checker && !e.shadow) {
    s.push_back(plain("\u00b7 gain"));
    for (int i = 0; i < 3; ++i)
      s.push_back(number(fmt::format("gain{}", i), e.gain[static_cast<size_t>(i)], 0, 100, 0.01, "", 2));
    s.push_back(plain("offset"));
    for (int i = 0; i < 3; ++i)
      s.push_back(number(fmt::format("offset{}", i), e.offset[static_cast<size_t>(i)], -100, 100, 0.002, "", 3));
  }
  if (e.kind != element::Kind::Checker)
    if (const matte::Matte* m = shot.matte(e.matte)) {
      s.push_back(plain("\u00b7 the matte, drawn on"));
      s.push_back(frameWord("matteFrame", m->frame, shot.plate.range, "frame "));
      s.back().text += ",";
      std::vector<std::pair<std::string, std::string>> rides = {{"surface", "rides the surface"},
                                                                {"screen", "rides the screen"}};
      for (const auto& r : shot.regions) rides.emplace_back("region " + std::to_string(r.id), "rides " + r.name);
      s.push_back(choice("rides",
                         m->rides == matte::Rides::Screen   ? "screen"
                         : m->rides == matte::Rides::Region ? "region " + std::to_string(m->region)
                                                            : "surface",
                         rides, ""));
      s.push_back(choice("inverted", m->inverted ? "1" : "0", {{"0", "as drawn"}, {"1", "inverted"}}, ""));
    }
  return s;
}

Sentence recipeOf(const set::Surface& f) {
  const Vec3 t = turnDegrees(f.turn);
  Sentence s = {plain(std::string(nameOf(f.kind)) + " at")};
  s[0].text[0] = static_cast<char>(std::toupper(s[0].text[0]));
  const char* axes[] = {"x", "y", "z"};
  for (int i = 0; i < 3; ++i) s.push_back(number(axes[i], f.position[i], -kFar, kFar, 0.01, i == 2 ? "m" : "", 3));
  s.push_back(plain("turned"));
  for (int i = 0; i < 3; ++i) s.push_back(number(std::string("turn") + axes[i], t[i], -360, 360, 0.5, "\u00b0", 1));
  s.push_back(plain("sized"));
  const int sizes = f.kind == set::SurfaceKind::Sphere                                          ? 1
                    : f.kind == set::SurfaceKind::Plane || f.kind == set::SurfaceKind::Cylinder ? 2
                                                                                                : 3;
  for (int i = 0; i < sizes; ++i)
    s.push_back(number(std::string("size") + axes[i], f.size[i], 1e-4, kFar, 0.05, i == sizes - 1 ? "m" : "", 2));
  s.back().text += ",";
  s.push_back(
      choice("blocks", f.blocks ? "1" : "0", {{"1", "hiding what is behind it."}, {"0", "hiding nothing."}}, ""));
  return s;
}

Sentence recipeOf(const Delivery& d, const FrameRange& range) {
  const std::string ending = std::filesystem::path(d.pattern).extension().string();
  std::vector<std::pair<std::string, std::string>> endings, compressions;
  for (const auto& e : image::writableEndings())
    endings.emplace_back("." + e, e == "exr" ? "EXR" : e == "png" ? "PNG" : e == "jpg" ? "JPEG" : "TIFF");
  for (const auto& c : image::exrCompressions()) compressions.emplace_back(c, c);
  Sentence s = {plain("Deliver frames"),
                frameWord("first", range.first, range),
                plain("to"),
                frameWord("last", range.last, range),
                plain("as"),
                choice("ending", ending, endings, ending)};
  if (ending == ".exr") {
    s.push_back(choice("half", d.half ? "1" : "0", {{"1", "half float"}, {"0", "float"}}, ""));
    s.push_back(choice("compression", d.compression, compressions, d.compression));
  } else if (ending == ".jpg") {
    s.push_back(plain("at quality"));
    s.push_back(number("quality", d.quality, 1, 100, 5, "", 0));
  }
  s.push_back(plain("to"));
  Word w;
  w.kind = Word::Kind::Text;
  w.key = "folder";
  const std::filesystem::path p(d.pattern);
  w.text = (p.parent_path().filename() / p.filename()).string() + ",";
  s.push_back(w);
  s.push_back(plain("elements read"));
  s.push_back(choice("sharper", d.sharper ? "1" : "0", {{"1", "sharper"}, {"0", "sharp"}}, ""));
  return s;
}

std::string textOf(const Sentence& sentence) {
  std::string out;
  for (const Word& w : sentence) out += (out.empty() ? "" : " ") + w.text;
  return out;
}

void setWord(Shot& shot, element::Element& e, const std::string& key, const std::string& value) {
  matte::Matte* m = shot.matte(e.matte);
  const auto needMatte = [&]() -> matte::Matte& {
    if (!m) throw Error(fmt::format("\"{}\" has no matte", e.name), "Draw one first");
    return *m;
  };
  if (key == "surface") {
    if (!shot.surface(value)) throw Error("that surface is not there", "Choose one from the list");
    e.surface = value;
  } else if (key == "matte") {
    if (!value.empty() && !shot.matte(value)) throw Error("that matte is not there", "Choose one from the list");
    e.matte = value;
  } else if (key == "sourceFrame") {
    e.sourceFrame = static_cast<int>(within(value, shot.plate.range.first, shot.plate.range.last));
  } else if (key == "picture") {
    e.picture = value;
  } else if (key == "feather") {
    needMatte().featherPx = within(value, 0, 500);
  } else if (key == "matteFrame") {
    needMatte().frame = static_cast<int>(within(value, shot.plate.range.first, shot.plate.range.last));
  } else if (key == "rides") {
    auto& m = needMatte();
    m.rides = value == "screen" ? matte::Rides::Screen : matte::Rides::Surface;
    if (value.rfind("region ", 0) == 0) m.rides = matte::Rides::Region, m.region = std::stoi(value.substr(7));
  } else if (key == "inverted") {
    needMatte().inverted = value == "1";
  } else if (key == "merge") {
    e.merge = element::mergeFrom(value);
  } else if (key == "opacity") {
    e.opacity = within(value, 0, 100) / 100;
  } else if (key == "first" || key == "last") {
    if (e.range.count() == 0) e.range = shot.range;
    FrameRange r = e.range;
    (key == "first" ? r.first : r.last) = static_cast<int>(within(value, shot.range.first, shot.range.last));
    if (r.count() == 0) throw Error("the range would be empty", "Give the smaller frame first");
    e.range = r;
  } else if (key == "shadow") {
    e.shadow = value == "1";
  } else if (key == "premultiplied") {
    e.premultiplied = value == "1";
  } else if (key == "shift") {
    e.shift = static_cast<int>(within(value, -100000, 100000));
  } else if (key == "layer") {
    if (std::find(e.render.layers.begin(), e.render.layers.end(), value) == e.render.layers.end())
      throw Error(fmt::format("{} has no layer \"{}\"", e.render.pattern, value), "Choose one that it has");
    e.render.layer = value;
  } else if (key == "beyond") {
    e.beyond = element::beyondFrom(value);
  } else if (key == "square") {
    e.squareM = within(value, 0.001, 1000);
  } else if (key == "lines") {
    e.lines = value == "1";
  } else if (key == "match" && value == "0") {
    e.gain = {1, 1, 1}, e.offset = {0, 0, 0};
  } else if (key.starts_with("gain") && key.size() == 5) {
    e.gain.at(static_cast<size_t>(key[4] - '0')) = within(value, 0, 100);
  } else if (key.starts_with("offset") && key.size() == 7) {
    e.offset.at(static_cast<size_t>(key[6] - '0')) = within(value, -100, 100);
  } else {
    throw Error(fmt::format("\"{}\" is not a setting of this element", key), "");
  }
}

void setWord(set::Surface& f, const std::string& key, const std::string& value) {
  const auto axis = [](char c) { return c - 'x'; };
  if (key == "x" || key == "y" || key == "z")
    f.position[axis(key[0])] = within(value, -kFar, kFar);
  else if (key.starts_with("turn")) {
    Vec3 t = turnDegrees(f.turn);
    t[axis(key[4])] = within(value, -360, 360);
    f.turn = turnFromDegrees(t);
  } else if (key.starts_with("size"))
    f.size[axis(key[4])] = within(value, 1e-4, kFar);
  else if (key == "blocks")
    f.blocks = value == "1";
  else
    throw Error(fmt::format("\"{}\" is not a setting of a surface", key), "");
}

void setWord(Shot& shot, const std::string& key, const std::string& value) {
  if (key == "first" || key == "last") {
    FrameRange r = shot.range;
    (key == "first" ? r.first : r.last) =
        static_cast<int>(within(value, shot.plate.range.first, shot.plate.range.last));
    if (r.count() == 0) throw Error("the range would be empty", "Give the smaller frame first");
    shot.range = r;
  } else if (key == "ending") {
    std::filesystem::path p(shot.delivery.pattern);
    shot.delivery.pattern = p.replace_extension(value).string();
  } else if (key == "half") {
    shot.delivery.half = value == "1";
  } else if (key == "sharper") {
    shot.delivery.sharper = value == "1";
  } else if (key == "compression") {
    shot.delivery.compression = value;
  } else if (key == "quality") {
    shot.delivery.quality = static_cast<int>(within(value, 1, 100));
  } else if (key == "folder") {
    shot.delivery.pattern = value;
  } else {
    throw Error(fmt::format("\"{}\" is not a setting of a delivery", key), "");
  }
}

}  // namespace zentil::shot
