#pragma once
#include <array>
#include <map>
#include <optional>
#include <span>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::value {

/// What lies between a key and the next.
enum class Between {
  Hold,    ///< the key's value until the next key
  Linear,  ///< in proportion
  Smooth,  ///< eased, never beyond what its two keys say
};
inline std::span<const char* const> namesOf(Between) {
  static constexpr const char* kNames[] = {"hold", "linear", "smooth"};
  return kNames;
}

/// How values of a type are blended: by the numbers they consist of. A type without a specialisation is held.
template <typename T>
struct Numbers {
  static constexpr bool kBlends = false;
};
template <typename T>
struct Key {
  T value{};
  Between after = Between::Linear;
  bool operator==(const Key&) const = default;
};

/// Values of a setting on frames, with what lies between. Before the first key and after the last it is as there.
template <typename T>
class Keys {
 public:
  bool empty() const { return keys_.empty(); }
  const std::map<int, Key<T>>& all() const { return keys_; }
  bool has(int frame) const { return keys_.count(frame) != 0; }
  /// Sets or replaces a key; what lies after it stays as it was, or is as after the key before.
  void put(int frame, T value, std::optional<Between> after = {}) {
    const auto it = keys_.find(frame);
    if (!after) after = it != keys_.end() ? it->second.after : before(frame);
    keys_[frame] = {std::move(value), *after};
  }
  void erase(int frame) { keys_.erase(frame); }
  /// Moves a key; one that stands there already is replaced. False when there is none to move.
  bool move(int from, int to) {
    const auto it = keys_.find(from);
    if (it == keys_.end()) return false;
    if (from == to) return true;
    Key<T> key = std::move(it->second);
    keys_.erase(it);
    keys_[to] = std::move(key);
    return true;
  }
  void setBetween(int frame, Between after) {
    if (const auto it = keys_.find(frame); it != keys_.end()) it->second.after = after;
  }

  /// The value at a frame; there has to be a key. (Defined in value_blend.h, for each type once.)
  T at(int frame) const;
  bool operator==(const Keys&) const = default;

 private:
  using It = typename std::map<int, Key<T>>::const_iterator;
  Between before(int frame) const {
    const auto it = keys_.lower_bound(frame);
    return it == keys_.begin() ? Between::Linear : std::prev(it)->second.after;
  }
  T blend(It a, It b, double t) const;

  std::map<int, Key<T>> keys_;
};

/// A setting that may change over the shot: a constant, or keys.
///
///   Value<double> strength = 1;          // a constant
///   strength.key(1001, 1);               // from here on it has keys
///   strength.key(1024, 0, Between::Smooth);
///   strength.at(1012);                   // what holds on a frame
template <typename T>
class Value {
 public:
  using Type = T;
  Value() = default;
  Value(T constant) : constant_(std::move(constant)) {}  // NOLINT: a plain value is a constant

  T at(int frame) const { return keys_.empty() ? constant_ : keys_.at(frame); }
  bool keyed() const { return !keys_.empty(); }
  /// What holds where there are no keys.
  const T& constant() const { return constant_; }
  const Keys<T>& keys() const { return keys_; }
  Keys<T>& keys() { return keys_; }

  /// As a person sets it at the playhead: a key where it has keys, the constant where it has none.
  void put(int frame, T value) {
    if (keys_.empty())
      constant_ = std::move(value);
    else
      keys_.put(frame, std::move(value));
  }
  void key(int frame, T value, std::optional<Between> after = {}) { keys_.put(frame, std::move(value), after); }
  /// A key with what holds there already.
  void key(int frame) { keys_.put(frame, at(frame)); }
  /// Takes a key away; when the last one goes, its value becomes the constant.
  void unkey(int frame) {
    if (!keys_.has(frame)) return;
    T value = keys_.at(frame);
    keys_.erase(frame);
    if (keys_.empty()) constant_ = std::move(value);
  }
  /// Changes every value there is: the constant, or each key's.
  template <typename Change>
  void each(const Change& change) {
    if (keys_.empty()) {
      change(constant_);
      return;
    }
    Keys<T> out;
    for (auto [frame, k] : keys_.all()) {
      change(k.value);
      out.put(frame, k.value, k.after);
    }
    keys_ = std::move(out);
  }
  bool operator==(const Value& o) const { return keys_ == o.keys_ && (keyed() || constant_ == o.constant_); }

 private:
  T constant_{};
  Keys<T> keys_;
};

}  // namespace zentil::value
