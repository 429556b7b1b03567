#include "core/value/type.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/value/path.h"
#include "core/value/turn.h"
#include "core/value/type_of.h"

namespace zentil::value {

namespace {
/// Which component a path's last part names: x y z, r g b, first last, or a digit; -1 for none.
int componentOf(std::string_view name, int count) {
  for (const std::string_view names : {"xyz", "rgb", "0123456789"})
    if (name.size() == 1)
      if (const size_t i = names.find(name[0]); i != std::string_view::npos && static_cast<int>(i) < count)
        return static_cast<int>(i);
  if (count == 2 && name == "first") return 0;
  if (count == 2 && name == "last") return 1;
  return -1;
}
}  // namespace

std::optional<Setting> Type::reach(void* thing, std::string_view path, const About& about, bool /*toChange*/) const {
  if (path.empty()) return Setting(*this, thing, about);
  const int c = componentOf(path, components());
  return c < 0 ? std::nullopt : std::optional(Setting(*this, thing, about, c));
}

void Type::setText(void* thing, const std::string& text, const About& about, int component) const {
  if (components() == 0) throw Error(fmt::format("\"{}\" cannot be typed", about.words), "Change what it consists of");
  if (component < 0) throw Error(fmt::format("\"{}\" names only a part of it", text), "Name which: x, y or z");
  setComponent(thing, component, parseClamped(text, about));
}

Shown Setting::shown(int frame) const {
  Shown out;
  out.about = about_;
  if (const auto* k = type_->asKeyed()) {
    out.keyable = true, out.keyed = !k->keyFrames(thing_).empty(), out.keyHere = k->has(thing_, frame);
    k->at(thing_, frame, [&](const void* v) { k->plain().show(v, component_, out); });
  } else {
    type_->show(thing_, component_, out);
  }
  return out;
}

void Setting::setText(const std::string& text, int frame) const {
  const Type& plain = keyable() ? keys().plain() : *type_;
  const auto set = [&](void* v) {
    plain.setText(v, text, about_, component_);
    return true;
  };
  if (keyable())
    keys().put(thing_, frame, set);
  else
    type_->attempt(thing_, set);
}

void Setting::setJson(const json& j, const std::string& path, std::optional<int> frame,
                      const std::filesystem::path& folder) const {
  Reading reading(folder);
  bool done = false;
  const auto set = [&](const Type& type) {
    return [&, t = &type](void* v) {
      double x = 0;
      done = component_ < 0 ? t->read(j, v, about_, reading) && reading.notes().empty()
                            : inside::readNumber(j, x, about_, reading);
      if (done && component_ >= 0) t->setComponent(v, component_, x);
      return done;
    };
  };
  reading.inside(path, [&] {
    if (keyable() && (frame || component_ >= 0))
      keys().put(thing_, frame.value_or(0), set(keys().plain()));
    else
      type_->attempt(thing_, set(*type_));
  });
  if (!done)
    throw Error(reading.notes().empty() ? fmt::format("\"{}\" cannot be set so", path) : reading.notes().front(),
                "Correct the value");
}

Setting found(std::optional<Setting> setting, std::string_view path) {
  if (!setting) throw Error(fmt::format("there is no setting \"{}\"", path), "Name one that the thing has");
  return *setting;
}
Setting keyable(Setting setting, std::string_view path) {
  if (!setting.keyable())
    throw Error(fmt::format("\"{}\" is the same over the whole shot", path),
                "Only what can change over time takes keys");
  return setting;
}

namespace inside {

std::string shortly(const json& j) {
  std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  return text.size() > 40 ? text.substr(0, 37) + "..." : text;
}

bool refuse(const json& j, const char* expected, Reading& r) {
  r.note(fmt::format("is {}, where {} is expected: left as it was", shortly(j), expected));
  return false;
}

bool readNumber(const json& j, double& into, const About& a, Reading& r) {
  if (!j.is_number()) return refuse(j, "a number", r);
  const double v = j.get<double>();
  if (!std::isfinite(v)) return refuse(j, "a number", r);
  if (v < a.least || v > a.most) {
    r.note(fmt::format("is {:g}, outside {:g} to {:g}: left as it was", v, a.least, a.most));
    return false;
  }
  into = v;
  return true;
}

bool readWhole(const json& j, int& into, const About& a, Reading& r) {
  double d = 0;
  About whole = a;
  whole.least = std::max(a.least, -1e9), whole.most = std::min(a.most, 1e9);
  if (!readNumber(j, d, whole, r)) return false;
  if (d != std::floor(d)) return refuse(j, "a whole number", r);
  into = static_cast<int>(d);
  return true;
}

bool readNumbers(const json& j, double* into, size_t count, const About& a, Reading& r) {
  if (!j.is_array() || j.size() != count) return refuse(j, fmt::format("a list of {} numbers", count).c_str(), r);
  std::vector<double> out(count);
  for (size_t i = 0; i < count; ++i)
    if (!readNumber(j[i], out[i], a, r)) return false;
  std::copy(out.begin(), out.end(), into);
  return true;
}

int nameAt(const json& j, std::span<const char* const> names, Reading& r) {
  std::string all;
  for (size_t i = 0; i < names.size(); ++i) {
    if (j.is_string() && j.get_ref<const std::string&>() == names[i]) return static_cast<int>(i);
    all += (all.empty() ? "" : ", ") + std::string(names[i]);
  }
  refuse(j, ("one of " + all).c_str(), r);
  return -1;
}

bool readList(const json& j, const char* expected, Reading& r, const std::function<void(const json&)>& one) {
  if (!j.is_array() || j.size() > kMostInAList) return refuse(j, expected, r);
  for (size_t i = 0; i < j.size(); ++i) r.inside(fmt::format("[{}]", i), [&] { one(j[i]); });
  return true;
}

bool readByFrame(const json& e, Reading& r, const std::function<bool(const json&)>& readThing, int& frame) {
  if (e.is_object() && e.contains("frame")) {
    json rest = e;
    rest.erase("frame");
    return readWhole(e.at("frame"), frame, {}, r) && readThing(rest);
  }
  if (e.is_array() && e.size() == 2) return readWhole(e[0], frame, {}, r) && readThing(e[1]);
  return refuse(e, "something with a frame", r);
}
json writtenByFrame(json j, int frame) {
  if (!j.is_object()) return {frame, j};
  j["frame"] = frame;
  return j;
}

bool readKey(const json& e, Reading& r, const std::function<bool(const json&)>& readThing, int& frame, Between& after) {
  if (!e.is_array() || e.size() < 2 || e.size() > 3) return refuse(e, "a key: frame, value and interpolation", r);
  if (!readWhole(e[0], frame, {}, r) || !readThing(e[1])) return false;
  if (e.size() > 2)
    if (const int n = nameAt(e[2], namesOf(after), r); n >= 0) after = static_cast<Between>(n);
  return true;
}

bool readOwn(Reading& r, const std::function<void()>& run) {
  try {
    run();
    return true;
  } catch (const std::exception& e) {
    r.note(fmt::format("cannot be read ({}): left out", e.what()));
    return false;
  }
}

json writeFields(const std::vector<Field>& fields, const Unknown* unknown, const void* thing,
                 const std::filesystem::path& folder) {
  json out = json::object();
  if (unknown && !unknown->text.empty()) out = json::parse(unknown->text, nullptr, false);
  if (!out.is_object()) out = json::object();
  for (const auto& f : fields) out[f.key] = f.type->write(f.of(thing), f.about, folder);
  return out;
}

bool readFields(const std::vector<Field>& fields, const json& j, Unknown* unknown, void* thing, Reading& r) {
  if (!j.is_object()) return refuse(j, "a group of settings", r);
  for (const auto& f : fields)
    if (const auto it = j.find(f.key); it != j.end())
      r.inside(f.key, [&] { f.type->read(*it, f.of(thing), f.about, r); });
  if (!unknown) return true;
  json rest = json::object();
  for (const auto& [key, x] : j.items())
    if (std::none_of(fields.begin(), fields.end(), [&k = key](const auto& f) { return k == f.key; })) rest[key] = x;
  unknown->text = rest.empty() ? "" : rest.dump(-1, ' ', false, json::error_handler_t::replace);
  return true;
}

namespace {

json writeText(const std::string& v, const About& a, const std::filesystem::path& folder) {
  return a.isFile ? relativeTo(v, folder) : v;
}
bool readText(const json& j, std::string& v, const About& a, Reading& r) {
  if (!j.is_string()) return refuse(j, "text", r);
  if (j.get_ref<const std::string&>().find('\0') != std::string::npos) return refuse(j, "text without a zero in it", r);
  v = a.isFile ? resolve(j.get<std::string>(), r.folder()).string() : j.get<std::string>();
  return true;
}
int wholeFrom(const std::string& text, const About& about) {
  const double x = parseClamped(text, about);
  if (std::abs(x) > 1e9) throw Error(fmt::format("{:g} is too large", x), "Type a smaller number");
  return static_cast<int>(std::lround(x));
}
bool yesFrom(const std::string& text) {
  if (text != "0" && text != "1") throw Error(fmt::format("\"{}\" is neither yes nor no", text), "Say 1 or 0");
  return text == "1";
}

class YesNo : public Plain<bool> {
 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override { return of(v); }
  bool read(const json& j, void* v, const About&, Reading& r) const override {
    if (!j.is_boolean()) return refuse(j, "true or false", r);
    of(v) = j.get<bool>();
    return true;
  }
  void show(const void* v, int, Shown& out) const override { out.is = Shown::Is::YesNo, out.kept = of(v); }
  void setText(void* v, const std::string& text, const About&, int) const override { of(v) = yesFrom(text); }
};
class Number : public Plain<double> {
 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override { return of(v); }
  bool read(const json& j, void* v, const About& a, Reading& r) const override { return readNumber(j, of(v), a, r); }
  void show(const void* v, int, Shown& out) const override { out.is = Shown::Is::Number, out.kept = of(v); }
  void setText(void* v, const std::string& text, const About& a, int) const override { of(v) = parseClamped(text, a); }
};
class Whole : public Plain<int> {
 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override { return of(v); }
  bool read(const json& j, void* v, const About& a, Reading& r) const override { return readWhole(j, of(v), a, r); }
  void show(const void* v, int, Shown& out) const override { out.is = Shown::Is::Whole, out.kept = of(v); }
  void setText(void* v, const std::string& text, const About& a, int) const override { of(v) = wholeFrom(text, a); }
};
class Text : public Plain<std::string> {
 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    return writeText(of(v), a, folder);
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override { return readText(j, of(v), a, r); }
  void show(const void* v, int, Shown& out) const override { out.is = Shown::Is::Text, out.text = of(v); }
  void setText(void* v, const std::string& text, const About&, int) const override { of(v) = text; }
};
/// Kept row by row; its numbers by name are its degrees about x, y and z.
class Turn : public Plain<Mat3> {
 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override {
    const Mat3 rows = of(v).transpose();
    return std::vector<double>(rows.data(), rows.data() + 9);
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    Mat3 rows = Mat3::Zero();
    if (!readNumbers(j, rows.data(), 9, a, r)) return false;
    of(v) = rows.transpose();
    return true;
  }
  int components() const override { return 3; }
  double component(const void* v, int i) const override { return turnDegrees(of(v))[i]; }
  void setComponent(void* v, int i, double x) const override {
    Vec3 d = turnDegrees(of(v));
    d[i] = x;
    of(v) = turnFromDegrees(d);
  }
  void show(const void* v, int c, Shown& out) const override {
    if (c >= 0) out.is = Shown::Is::Number, out.kept = component(v, c);
  }
};
class Frames : public Plain<FrameRange> {
 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override {
    return {of(v).first, of(v).last};
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    if (!j.is_array() || j.size() != 2) return refuse(j, "a first and a last frame", r);
    FrameRange out;
    if (!readWhole(j[0], out.first, a, r) || !readWhole(j[1], out.last, a, r)) return false;
    of(v) = out;
    return true;
  }
  int components() const override { return 2; }
  double component(const void* v, int i) const override { return i ? of(v).last : of(v).first; }
  void setComponent(void* v, int i, double x) const override { (i ? of(v).last : of(v).first) = static_cast<int>(x); }
  void show(const void* v, int c, Shown& out) const override {
    if (c >= 0) out.is = Shown::Is::Whole, out.kept = component(v, c);
  }
};

template <typename Own>
const Type& theOnly() {
  static const Own one;
  return one;
}

}  // namespace

}  // namespace inside

template <>
const Type& typeOf<bool>() {
  return inside::theOnly<inside::YesNo>();
}
template <>
const Type& typeOf<double>() {
  return inside::theOnly<inside::Number>();
}
template <>
const Type& typeOf<int>() {
  return inside::theOnly<inside::Whole>();
}
template <>
const Type& typeOf<std::string>() {
  return inside::theOnly<inside::Text>();
}
template <>
const Type& typeOf<Mat3>() {
  return inside::theOnly<inside::Turn>();
}
template <>
const Type& typeOf<FrameRange>() {
  return inside::theOnly<inside::Frames>();
}

}  // namespace zentil::value
