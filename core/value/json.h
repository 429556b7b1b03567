#pragma once
// Described settings as JSON, both ways. Reading never fails as a whole: what is wrong loses itself, is noted by its
// key, and leaves what was there.
#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/files.h"
#include "core/base/frames.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::value {

using nlohmann::json;

/// Where reading is, and what it found wrong.
class Reading {
 public:
  explicit Reading(std::filesystem::path folder) : folder_(std::move(folder)) {}
  const std::filesystem::path& folder() const { return folder_; }
  const std::vector<std::string>& notes() const { return notes_; }

  /// Something wrong with the setting that is being read.
  void note(const std::string& what) {
    if (notes_.size() < kMostNotes)
      notes_.push_back(fmt::format("\"{}\" {}", where_.empty() ? "the file" : where_, what));
  }
  template <typename Run>
  void inside(const std::string& key, const Run& run) {
    const size_t length = where_.size();
    where_ += (where_.empty() || key.starts_with("[") ? "" : ".") + key;
    run();
    where_.resize(length);
  }

 private:
  static constexpr size_t kMostNotes = 200;
  std::filesystem::path folder_;
  std::string where_;
  std::vector<std::string> notes_;
};

/// More things in one list than any shot has: a damaged count, not a shot.
constexpr size_t kMostInAList = 2000000;

template <typename T>
json write(const T& value, const About& about, const std::filesystem::path& folder);
template <typename T>
bool read(const json& j, T& into, const About& about, Reading& reading);

namespace inside {

inline std::string shortly(const json& j) {
  std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  return text.size() > 40 ? text.substr(0, 37) + "..." : text;
}

template <typename T>
bool refuse(const json& j, const char* expected, Reading& r) {
  r.note(fmt::format("is {}, where {} is expected: left as it was", shortly(j), expected));
  return false;
}

inline bool readNumber(const json& j, double& into, const About& a, Reading& r) {
  if (!j.is_number()) return refuse<double>(j, "a number", r);
  const double v = j.get<double>();
  if (!std::isfinite(v)) return refuse<double>(j, "a number", r);
  if (v < a.least || v > a.most) {
    r.note(fmt::format("is {:g}, outside {:g} to {:g}: left as it was", v, a.least, a.most));
    return false;
  }
  into = v;
  return true;
}

template <typename T>
struct Handler;

/// A thing to read into; vectors begin at zero.
template <typename T>
T blank() {
  if constexpr (requires { T::Zero(); })
    return T::Zero();
  else
    return T{};
}

template <>
struct Handler<bool> {
  static json write(bool v, const About&, const std::filesystem::path&) { return v; }
  static bool read(const json& j, bool& v, const About&, Reading& r) {
    if (!j.is_boolean()) return refuse<bool>(j, "true or false", r);
    v = j.get<bool>();
    return true;
  }
};
template <>
struct Handler<double> {
  static json write(double v, const About&, const std::filesystem::path&) { return v; }
  static bool read(const json& j, double& v, const About& a, Reading& r) { return readNumber(j, v, a, r); }
};
template <>
struct Handler<int> {
  static json write(int v, const About&, const std::filesystem::path&) { return v; }
  static bool read(const json& j, int& v, const About& a, Reading& r) {
    double d = 0;
    About whole = a;
    whole.least = std::max(a.least, -1e9), whole.most = std::min(a.most, 1e9);
    if (!readNumber(j, d, whole, r)) return false;
    if (d != std::floor(d)) return refuse<int>(j, "a whole number", r);
    v = static_cast<int>(d);
    return true;
  }
};
template <>
struct Handler<std::string> {
  static json write(const std::string& v, const About& a, const std::filesystem::path& folder) {
    return a.isFile ? relativeTo(v, folder) : v;
  }
  static bool read(const json& j, std::string& v, const About& a, Reading& r) {
    if (!j.is_string()) return refuse<std::string>(j, "text", r);
    if (j.get_ref<const std::string&>().find('\0') != std::string::npos)
      return refuse<std::string>(j, "text without a zero in it", r);
    v = a.isFile ? resolve(j.get<std::string>(), r.folder()).string() : j.get<std::string>();
    return true;
  }
};
template <>
struct Handler<FrameRange> {
  static json write(const FrameRange& v, const About&, const std::filesystem::path&) { return {v.first, v.last}; }
  static bool read(const json& j, FrameRange& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() != 2) return refuse<FrameRange>(j, "a first and a last frame", r);
    FrameRange out;
    if (!Handler<int>::read(j[0], out.first, a, r) || !Handler<int>::read(j[1], out.last, a, r)) return false;
    v = out;
    return true;
  }
};
template <int N>
struct Handler<Eigen::Matrix<double, N, 1>> {
  using Vector = Eigen::Matrix<double, N, 1>;
  static json write(const Vector& v, const About&, const std::filesystem::path&) {
    json out = json::array();
    for (int i = 0; i < N; ++i) out.push_back(v[i]);
    return out;
  }
  static bool read(const json& j, Vector& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() != N) return refuse<Vector>(j, fmt::format("a list of {} numbers", N).c_str(), r);
    Vector out = Vector::Zero();
    for (int i = 0; i < N; ++i)
      if (!readNumber(j[static_cast<size_t>(i)], out[i], a, r)) return false;
    v = out;
    return true;
  }
};
template <>
struct Handler<Mat3> {  // row by row
  static json write(const Mat3& v, const About&, const std::filesystem::path&) {
    json out = json::array();
    for (int i = 0; i < 9; ++i) out.push_back(v(i / 3, i % 3));
    return out;
  }
  static bool read(const json& j, Mat3& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() != 9) return refuse<Mat3>(j, "a list of 9 numbers", r);
    Mat3 out = Mat3::Zero();
    for (int i = 0; i < 9; ++i)
      if (!readNumber(j[static_cast<size_t>(i)], out(i / 3, i % 3), a, r)) return false;
    v = out;
    return true;
  }
};
template <size_t N>
struct Handler<std::array<double, N>> {
  static json write(const std::array<double, N>& v, const About&, const std::filesystem::path&) { return v; }
  static bool read(const json& j, std::array<double, N>& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() != N) return refuse<double>(j, fmt::format("a list of {} numbers", N).c_str(), r);
    std::array<double, N> out{};
    for (size_t i = 0; i < N; ++i)
      if (!readNumber(j[i], out[i], a, r)) return false;
    v = out;
    return true;
  }
};
template <NamedEnum E>
struct Handler<E> {
  static json write(E v, const About&, const std::filesystem::path&) { return zentil::nameOf(v); }
  static bool read(const json& j, E& v, const About&, Reading& r) {
    if (j.is_string() && fromName(j.get<std::string>(), v)) return true;
    std::string names;
    for (const char* n : namesOf(v)) names += (names.empty() ? "" : ", ") + std::string(n);
    return refuse<E>(j, ("one of " + names).c_str(), r);
  }
};
template <typename T>
struct Handler<std::vector<T>> {
  static json write(const std::vector<T>& v, const About& a, const std::filesystem::path& folder) {
    json out = json::array();
    for (const T& x : v) out.push_back(value::write(x, a, folder));
    return out;
  }
  static bool read(const json& j, std::vector<T>& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() > kMostInAList) return refuse<T>(j, "a list", r);
    std::vector<T> out;
    for (size_t i = 0; i < j.size(); ++i)
      r.inside(fmt::format("[{}]", i), [&] {
        T x = blank<T>();
        if (value::read(j[i], x, a, r)) out.push_back(std::move(x));
      });
    v = std::move(out);
    return true;
  }
};
/// Things by frame: a list of them, each with its frame.
template <typename T>
struct Handler<std::map<int, T>> {
  static json write(const std::map<int, T>& v, const About& a, const std::filesystem::path& folder) {
    json out = json::array();
    for (const auto& [frame, x] : v) {
      json j = value::write(x, a, folder);
      if (j.is_object())
        j["frame"] = frame;
      else
        j = {frame, j};
      out.push_back(j);
    }
    return out;
  }
  static bool read(const json& j, std::map<int, T>& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() > kMostInAList) return refuse<T>(j, "a list", r);
    std::map<int, T> out;
    for (size_t i = 0; i < j.size(); ++i)
      r.inside(fmt::format("[{}]", i), [&] {
        int frame = 0;
        T x = blank<T>();
        const json& e = j[i];
        if (e.is_object() && e.contains("frame")) {
          json rest = e;
          rest.erase("frame");
          if (Handler<int>::read(e.at("frame"), frame, {}, r) && value::read(rest, x, a, r)) out[frame] = std::move(x);
        } else if (e.is_array() && e.size() == 2) {
          if (Handler<int>::read(e[0], frame, {}, r) && value::read(e[1], x, a, r)) out[frame] = std::move(x);
        } else {
          refuse<T>(e, "something with a frame", r);
        }
      });
    v = std::move(out);
    return true;
  }
};
template <typename T>
struct Handler<Keys<T>> {
  static json write(const Keys<T>& v, const About& a, const std::filesystem::path& folder) {
    json out = json::array();
    for (const auto& [frame, k] : v.all())
      out.push_back({frame, value::write(k.value, a, folder), zentil::nameOf(k.after)});
    return out;
  }
  static bool read(const json& j, Keys<T>& v, const About& a, Reading& r) {
    if (!j.is_array() || j.size() > kMostInAList) return refuse<T>(j, "a list of keys", r);
    Keys<T> out;
    for (size_t i = 0; i < j.size(); ++i)
      r.inside(fmt::format("[{}]", i), [&] {
        const json& e = j[i];
        int frame = 0;
        T x = blank<T>();
        Between after = Between::Linear;
        if (!e.is_array() || e.size() < 2 || e.size() > 3)
          refuse<T>(e, "a key: frame, value and what lies after it", r);
        else if (Handler<int>::read(e[0], frame, {}, r) && value::read(e[1], x, a, r)) {
          if (e.size() > 2) Handler<Between>::read(e[2], after, {}, r);
          out.put(frame, std::move(x), after);
        }
      });
    v = std::move(out);
    return true;
  }
};
template <typename T>
struct Handler<Value<T>> {
  static json write(const Value<T>& v, const About& a, const std::filesystem::path& folder) {
    if (!v.keyed()) return value::write(v.constant(), a, folder);
    return {{"keys", Handler<Keys<T>>::write(v.keys(), a, folder)}};
  }
  static bool read(const json& j, Value<T>& v, const About& a, Reading& r) {
    if (!j.is_object() || !j.contains("keys")) {
      T x = v.constant();
      if (!value::read(j, x, a, r)) return false;
      v = Value<T>(std::move(x));
      return true;
    }
    Value<T> out(v.constant());
    bool done = false;
    r.inside("keys", [&] { done = Handler<Keys<T>>::read(j.at("keys"), out.keys(), a, r); });
    if (!done) return false;
    v = std::move(out);
    return true;
  }
};
/// One of several kinds; "kind" says which.
template <typename... T>
struct Handler<std::variant<T...>> {
  static json write(const std::variant<T...>& v, const About& a, const std::filesystem::path& folder) {
    return std::visit(
        [&](const auto& x) {
          json j = value::write(x, a, folder);
          j["kind"] = std::decay_t<decltype(x)>::kKind;
          return j;
        },
        v);
  }
  static bool read(const json& j, std::variant<T...>& v, const About& a, Reading& r) {
    if (!j.is_object() || !j.contains("kind") || !j.at("kind").is_string())
      return refuse<bool>(j, "something with a kind", r);
    const std::string kind = j.at("kind");
    json rest = j;
    rest.erase("kind");
    bool done = false;
    const auto tryOne = [&]<typename K>(std::type_identity<K>) {
      if (done || kind != K::kKind) return;
      K x = std::holds_alternative<K>(v) ? std::get<K>(v) : K{};
      value::read(rest, x, a, r);
      v = std::move(x);
      done = true;
    };
    (tryOne(std::type_identity<T>{}), ...);
    if (!done) {
      std::string kinds;
      ((kinds += (kinds.empty() ? "" : ", ") + std::string(T::kKind)), ...);
      r.inside("kind", [&] { refuse<bool>(j.at("kind"), ("one of " + kinds).c_str(), r); });
    }
    return done;
  }
};
template <Described T>
struct Handler<T> {
  static json write(const T& v, const About&, const std::filesystem::path& folder) {
    json out = json::object();
    if constexpr (requires { v.unknown; })
      if (!v.unknown.text.empty()) out = json::parse(v.unknown.text, nullptr, false);
    if (!out.is_object()) out = json::object();
    describe(static_cast<const T*>(nullptr), [&](const char* key, auto member, const About& about) {
      out[key] = value::write(v.*member, about, folder);
    });
    return out;
  }
  static bool read(const json& j, T& v, const About&, Reading& r) {
    if (!j.is_object()) return refuse<T>(j, "a group of settings", r);
    std::set<std::string> known;
    describe(static_cast<const T*>(nullptr), [&](const char* key, auto member, const About& about) {
      known.insert(key);
      if (const auto it = j.find(key); it != j.end()) r.inside(key, [&] { value::read(*it, v.*member, about, r); });
    });
    if constexpr (requires { v.unknown; }) {
      json rest = json::object();
      for (const auto& [key, x] : j.items())
        if (!known.count(key)) rest[key] = x;
      v.unknown.text = rest.empty() ? "" : rest.dump(-1, ' ', false, json::error_handler_t::replace);
    }
    return true;
  }
};
/// What is shared and has a JSON of its own: ADL finds asJson(thing) and fromJson(json, thing&), which throws.
template <typename T>
struct Handler<std::shared_ptr<const T>> {
  static json write(const std::shared_ptr<const T>& v, const About& a, const std::filesystem::path& folder) {
    if (!v) return nullptr;
    if constexpr (Described<T>)
      return value::write(*v, a, folder);
    else
      return asJson(*v);
  }
  static bool read(const json& j, std::shared_ptr<const T>& v, const About& a, Reading& r) {
    if (j.is_null()) {
      // Only what may be absent is written as null.
      return true;
    }
    auto out = v ? std::make_shared<T>(*v) : std::make_shared<T>();
    if constexpr (Described<T>) {
      if (!value::read(j, *out, a, r)) return false;
    } else {
      try {
        fromJson(j, *out);
      } catch (const std::exception& e) {
        r.note(fmt::format("cannot be read ({}): left out", e.what()));
        return false;
      }
    }
    v = out;
    return true;
  }
};
/// Plain things with a JSON of their own.
template <typename T>
requires(!Described<T> && requires(const T& t) { asJson(t); }) struct Handler<T> {
  static json write(const T& v, const About&, const std::filesystem::path&) { return asJson(v); }
  static bool read(const json& j, T& v, const About&, Reading& r) {
    try {
      T out{};
      fromJson(j, out);
      v = std::move(out);
      return true;
    } catch (const std::exception& e) {
      r.note(fmt::format("cannot be read ({}): left out", e.what()));
      return false;
    }
  }
};

}  // namespace inside

template <typename T>
json write(const T& value, const About& about, const std::filesystem::path& folder) {
  return inside::Handler<T>::write(value, about, folder);
}
template <typename T>
bool read(const json& j, T& into, const About& about, Reading& reading) {
  return inside::Handler<T>::read(j, into, about, reading);
}

}  // namespace zentil::value
