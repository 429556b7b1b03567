#pragma once
// Reaching a setting by its path, "look.opacity" or "surfaces.s1.position.x": to show it, to change it, to key it. What
// the window's words and the command's edits do goes through here, so that both have the same limits and words.
#include <functional>
#include <memory>
#include <string>
#include <string_view>

#include "core/base/error.h"
#include "core/value/json.h"
#include "core/value/text.h"
#include "core/value/turn.h"

namespace zentil::value {

/// The first part of a path, and what is left.
inline std::pair<std::string_view, std::string_view> cut(std::string_view path) {
  const size_t dot = path.find('.');
  return {path.substr(0, dot), dot == std::string_view::npos ? std::string_view() : path.substr(dot + 1)};
}

template <typename T>
struct IsValue : std::false_type {};
template <typename T>
struct IsValue<Value<T>> : std::true_type {};

/// A heavy part that values of the document share; it is copied when it is changed.
template <typename T>
struct IsShared : std::false_type {};
template <typename X>
struct IsShared<std::shared_ptr<const X>> : std::true_type {
  using Of = X;
};

template <typename T>
struct Components {
  static constexpr int kCount = 0;
};
template <int N>
struct Components<Eigen::Matrix<double, N, 1>> {
  static constexpr int kCount = N;
  static double get(const Eigen::Matrix<double, N, 1>& v, int i) { return v[i]; }
  static void set(Eigen::Matrix<double, N, 1>& v, int i, double x) { v[i] = x; }
};
template <size_t N>
struct Components<std::array<double, N>> {
  static constexpr int kCount = N;
  static double get(const std::array<double, N>& v, int i) { return v[static_cast<size_t>(i)]; }
  static void set(std::array<double, N>& v, int i, double x) { v[static_cast<size_t>(i)] = x; }
};
/// A turn's are its degrees about x, y and z.
template <>
struct Components<Mat3> {
  static constexpr int kCount = 3;
  static double get(const Mat3& m, int i) { return turnDegrees(m)[i]; }
  static void set(Mat3& m, int i, double x) {
    Vec3 d = turnDegrees(m);
    d[i] = x;
    m = turnFromDegrees(d);
  }
};
template <>
struct Components<FrameRange> {
  static constexpr int kCount = 2;
  static double get(const FrameRange& r, int i) { return i ? r.last : r.first; }
  static void set(FrameRange& r, int i, double x) { (i ? r.last : r.first) = static_cast<int>(x); }
};
template <typename T>
struct Components<Value<T>> : Components<T> {};

/// Which component a path's last part names: x y z, r g b, first last, or a digit; -1 for none.
inline int componentOf(std::string_view name, int count) {
  for (const std::string_view names : {"xyz", "rgb", "0123456789"})
    if (name.size() == 1)
      if (const size_t i = names.find(name[0]); i != std::string_view::npos && static_cast<int>(i) < count)
        return static_cast<int>(i);
  if (count == 2 && name == "first") return 0;
  if (count == 2 && name == "last") return 1;
  return -1;
}

/// Calls run(setting, about, component) for the setting at the path; component is -1 for all of it. False when the path
/// leads nowhere.
template <typename T, typename Run>
bool reach(T& thing, std::string_view path, const About& about, Run&& run) {
  using Plain = std::remove_const_t<T>;
  if (path.empty()) {
    run(thing, about, -1);
    return true;
  }
  const auto [first, rest] = cut(path);
  if constexpr (Described<Plain>) {
    bool done = false;
    describe(static_cast<const Plain*>(nullptr),
             [&, f = first, r = rest](const char* key, auto member, const About& a) {
               if (!done && f == key) done = reach(thing.*member, r, a, run);
             });
    return done;
  } else if constexpr (IsVector<Plain>::value) {
    for (size_t i = 0; i < thing.size(); ++i) {
      bool is = first == std::to_string(i);
      if constexpr (requires { thing[i].id == std::string(); }) is = first == thing[i].id;
      if (is) return reach(thing[i], rest, about, run);
    }
    return false;
  } else if constexpr (IsVariant<Plain>::value) {
    if (path == "kind") {
      run(thing, about, -1);
      return true;
    }
    return std::visit([&](auto& x) { return reach(x, path, about, run); }, thing);
  } else if constexpr (IsShared<Plain>::value) {
    using Of = typename IsShared<Plain>::Of;
    if constexpr (!Described<Of>) {
      return false;
    } else if constexpr (std::is_const_v<T>) {
      return thing && reach(*thing, path, about, run);
    } else {
      if (!thing) return false;
      auto changed = std::make_shared<Of>(*thing);
      if (!reach(*changed, path, about, run)) return false;
      thing = std::move(changed);
      return true;
    }
  } else if constexpr (Components<Plain>::kCount > 0) {
    const int c = componentOf(first, Components<Plain>::kCount);
    if (c < 0 || !rest.empty()) return false;
    run(thing, about, c);
    return true;
  } else {
    return false;
  }
}

/// A setting as a person sees it.
struct Shown {
  enum class Is { Number, Whole, YesNo, Name, Text, Other };
  Is is = Is::Other;
  About about;
  double kept = 0;                 ///< Number, Whole, YesNo
  std::string text;                ///< Name and Text
  std::vector<std::string> names;  ///< Name: what it may be
  bool keyable = false, keyed = false, keyHere = false;
};

/// What a setting is at a frame; nothing when the path leads nowhere.
template <typename T>
std::optional<Shown> shown(const T& thing, std::string_view path, int frame) {
  std::optional<Shown> out;
  reach(thing, path, About{}, [&](const auto& setting, const About& about, int component) {
    out.emplace();
    out->about = about;
    const auto plain = [&](const auto& v) {
      using V = std::decay_t<decltype(v)>;
      if constexpr (Components<V>::kCount > 0) {
        if (component >= 0) {
          out->is = std::is_same_v<V, FrameRange> ? Shown::Is::Whole : Shown::Is::Number;
          out->kept = Components<V>::get(v, component);
        }
      } else if constexpr (std::is_same_v<V, double>) {
        out->is = Shown::Is::Number, out->kept = v;
      } else if constexpr (std::is_same_v<V, int>) {
        out->is = Shown::Is::Whole, out->kept = v;
      } else if constexpr (std::is_same_v<V, bool>) {
        out->is = Shown::Is::YesNo, out->kept = v;
      } else if constexpr (std::is_same_v<V, std::string>) {
        out->is = Shown::Is::Text, out->text = v;
      } else if constexpr (NamedEnum<V>) {
        out->is = Shown::Is::Name, out->text = zentil::nameOf(v);
        for (const char* n : namesOf(v)) out->names.emplace_back(n);
      }
    };
    using S = std::decay_t<decltype(setting)>;
    if constexpr (IsValue<S>::value) {
      out->keyable = true, out->keyed = setting.keyed(), out->keyHere = setting.keys().has(frame);
      plain(setting.at(frame));
    } else {
      plain(setting);
    }
  });
  return out;
}

namespace inside {
[[noreturn]] inline void leadsNowhere(std::string_view path) {
  throw Error(fmt::format("there is no setting \"{}\"", path), "Name one that the thing has");
}
template <typename V>
void setFromText(V& v, const std::string& text, const About& about, int component) {
  if constexpr (Components<V>::kCount > 0) {
    if (component < 0) throw Error(fmt::format("\"{}\" names only a part of it", text), "Name which: x, y or z");
    Components<V>::set(v, component, keptFrom(text, about));
  } else if constexpr (std::is_same_v<V, double>) {
    v = keptFrom(text, about);
  } else if constexpr (std::is_same_v<V, int>) {
    const double x = keptFrom(text, about);
    if (std::abs(x) > 1e9) throw Error(fmt::format("{:g} is too large", x), "Type a smaller number");
    v = static_cast<int>(std::lround(x));
  } else if constexpr (std::is_same_v<V, bool>) {
    if (text != "0" && text != "1") throw Error(fmt::format("\"{}\" is neither yes nor no", text), "Say 1 or 0");
    v = text == "1";
  } else if constexpr (std::is_same_v<V, std::string>) {
    v = text;
  } else if constexpr (NamedEnum<V>) {
    v = named<V>(text);
  } else {
    throw Error(fmt::format("\"{}\" cannot be typed", about.words), "Change what it consists of");
  }
}
}  // namespace inside

/// Changes a setting as a person does at a frame: a key where it has keys, else for the whole shot. Numbers are in the
/// unit that is shown. Throws Error for what makes no sense, with nothing changed.
template <typename T>
void setText(T& thing, std::string_view path, const std::string& text, int frame) {
  const bool found = reach(thing, path, About{}, [&](auto& setting, const About& about, int component) {
    using S = std::decay_t<decltype(setting)>;
    if constexpr (IsValue<S>::value) {
      typename S::Type v = setting.at(frame);
      inside::setFromText(v, text, about, component);
      setting.put(frame, std::move(v));
    } else {
      inside::setFromText(setting, text, about, component);
    }
  });
  if (!found) inside::leadsNowhere(path);
}

/// The same from JSON, as it is kept: {"keys": ...} replaces all of a setting's keys. Throws Error naming the setting.
template <typename T>
void setJson(T& thing, std::string_view path, const json& j, std::optional<int> frame,
             const std::filesystem::path& folder) {
  const bool found = reach(thing, path, About{}, [&](auto& setting, const About& about, int component) {
    using S = std::decay_t<decltype(setting)>;
    Reading reading(folder);
    bool done = false;
    reading.inside(std::string(path), [&] {
      if (component >= 0) {
        if constexpr (Components<S>::kCount > 0) {
          double x = 0;
          done = inside::readNumber(j, x, about, reading);
          if constexpr (IsValue<S>::value) {
            typename S::Type v = setting.at(frame.value_or(0));
            if (done) Components<typename S::Type>::set(v, component, x);
            if (done) setting.put(frame.value_or(0), std::move(v));
          } else if (done) {
            Components<S>::set(setting, component, x);
          }
        }
      } else if constexpr (IsValue<S>::value) {
        if (frame) {
          typename S::Type v = setting.at(*frame);
          done = value::read(j, v, about, reading);
          if (done) setting.put(*frame, std::move(v));
        } else {
          done = value::read(j, setting, about, reading);
        }
      } else {
        S copy = setting;
        done = value::read(j, copy, about, reading) && reading.notes().empty();
        if (done) setting = std::move(copy);
      }
    });
    if (!done || !reading.notes().empty())
      throw Error(reading.notes().empty() ? fmt::format("\"{}\" cannot be set so", path) : reading.notes().front(),
                  "Correct the value");
  });
  if (!found) inside::leadsNowhere(path);
}

/// Runs run(value) on the setting's Value<T>. Throws Error when the setting cannot be keyed.
template <typename T, typename Run>
void onKeys(T& thing, std::string_view path, const Run& run) {
  bool keyable = false;
  const bool found = reach(thing, path, About{}, [&](auto& setting, const About&, int) {
    if constexpr (IsValue<std::decay_t<decltype(setting)>>::value) keyable = true, run(setting);
  });
  if (!found) inside::leadsNowhere(path);
  if (!keyable)
    throw Error(fmt::format("\"{}\" is the same over the whole shot", path),
                "Only what can change over time takes keys");
}

/// The frames on which a setting has keys; empty when it has none or cannot have any.
template <typename T>
std::vector<int> keyFrames(const T& thing, std::string_view path) {
  std::vector<int> out;
  reach(thing, path, About{}, [&](const auto& setting, const About&, int) {
    if constexpr (IsValue<std::decay_t<decltype(setting)>>::value)
      for (const auto& [f, k] : setting.keys().all()) out.push_back(f);
  });
  return out;
}

/// Calls see(path, value, about) for every setting below a thing that can be keyed.
template <typename T, typename See>
void eachKeyable(T& thing, const std::string& path, const About& about, const See& see) {
  using Plain = std::remove_const_t<T>;
  const auto below = [&](const std::string& name) { return path.empty() ? name : path + "." + name; };
  if constexpr (IsValue<Plain>::value) {
    see(path, thing, about);
  } else if constexpr (Described<Plain>) {
    describe(static_cast<const Plain*>(nullptr),
             [&](const char* key, auto member, const About& a) { eachKeyable(thing.*member, below(key), a, see); });
  } else if constexpr (IsVector<Plain>::value) {
    using Item = typename Plain::value_type;
    if constexpr (Described<Item>)
      for (size_t i = 0; i < thing.size(); ++i) {
        std::string name = std::to_string(i);
        if constexpr (requires { thing[i].id == std::string(); }) name = thing[i].id;
        eachKeyable(thing[i], below(name), about, see);
      }
  } else if constexpr (IsVariant<Plain>::value) {
    std::visit([&](auto& x) { eachKeyable(x, path, about, see); }, thing);
  }
}

}  // namespace zentil::value
