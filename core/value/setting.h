#pragma once
// A struct of the document lists its settings once, in one function beside it:
//
//   template <typename See>
//   void describe(const Look*, See&& see) {
//     see("opacity", &Look::opacity, says("strength").within(0, 1).shown(100, "%"));
//     see("merge", &Look::merge, says("merging"));
//   }
//
// Everything mechanical comes from that list, one visitor a purpose: JSON both ways (json.h), the content hash
// (hash.h), reaching a setting by its path to read, set or key it (path.h). A new setting is a member and a line.
#include <span>
#include <string>
#include <type_traits>
#include <variant>
#include <vector>

#include "core/base/error.h"

namespace zentil::value {

/// What is said of a setting beside its key.
struct About {
  const char* words = "";  ///< for people: undo, messages
  const char* unit = "";   ///< as shown
  double least = -1e15, most = 1e15;
  double step = 0.01;       ///< as shown: one turn of the wheel
  double factor = 1;        ///< what is shown is what is kept, times this
  int decimals = 2;         ///< as shown
  bool pixels = true;       ///< a change of it changes pictures
  bool isFile = false;      ///< names a file: kept relative to the shot's
  bool isFrame = false;     ///< names a frame of the shot
  const char* refers = "";  ///< names a thing by id, out of this list of the shot
  const char* none = "";    ///< ...and what is said when it names none; empty: it has to name one

  constexpr About within(double lo, double hi) const {
    About a = *this;
    a.least = lo, a.most = hi;
    return a;
  }
  constexpr About shown(double times, const char* as, int digits = 0) const {
    About a = *this;
    a.factor = times, a.unit = as, a.decimals = digits;
    return a;
  }
  constexpr About in(const char* as, int digits) const { return shown(1, as, digits); }
  constexpr About by(double wheel) const {
    About a = *this;
    a.step = wheel;
    return a;
  }
  /// Does not touch pixels.
  constexpr About nonRendering() const {
    About a = *this;
    a.pixels = false;
    return a;
  }
  constexpr About file() const {
    About a = *this;
    a.isFile = true;
    return a;
  }
  constexpr About frame() const {
    About a = *this;
    a.isFrame = true, a.decimals = 0, a.step = 1;
    return a;
  }
  constexpr About of(const char* list, const char* whenNone = "") const {
    About a = *this;
    a.refers = list, a.none = whenNone;
    return a;
  }
};

constexpr About label(const char* words) {
  About a;
  a.words = words;
  return a;
}

/// Keys of a file that no setting answers to, as JSON text: they are kept and written back.
struct Unknown {
  std::string text;
  bool operator==(const Unknown&) const = default;
};

struct SeesNothing {
  template <typename Member>
  void operator()(const char*, Member, const About&) const {}
};

template <typename T>
concept Described = requires(const T* t, SeesNothing see) {
  describe(t, see);
};

template <typename T>
struct IsVector : std::false_type {};
template <typename T, typename A>
struct IsVector<std::vector<T, A>> : std::true_type {};
template <typename T>
struct IsVariant : std::false_type {};
template <typename... T>
struct IsVariant<std::variant<T...>> : std::true_type {};

template <typename E>
concept NamedEnum = std::is_enum_v<E> && requires(E e) {
  { namesOf(e) } -> std::convertible_to<std::span<const char* const>>;
};

}  // namespace zentil::value

namespace zentil {

/// The word for a value of an enumeration.
template <value::NamedEnum E>
const char* nameOf(E e) {
  return namesOf(e)[static_cast<size_t>(e)];
}
/// The value with this name; false when there is none.
template <value::NamedEnum E>
bool fromName(const std::string& name, E& out) {
  const auto names = namesOf(out);
  for (size_t i = 0; i < names.size(); ++i)
    if (name == names[i]) {
      out = static_cast<E>(i);
      return true;
    }
  return false;
}
/// The value with this name. Throws Error that lists the names there are.
template <value::NamedEnum E>
E named(const std::string& name) {
  E out{};
  if (fromName(name, out)) return out;
  std::string all;
  for (const char* n : namesOf(out)) all += (all.empty() ? "" : ", ") + std::string(n);
  throw Error("\"" + name + "\" is not known here", "One of: " + all);
}

}  // namespace zentil
