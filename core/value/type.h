#pragma once
// What can be done with a value whose type the doer does not know: written and read as JSON, hashed, reached into by a
// path, typed, keyed. One object a type, typeOf<T>(), made where the type's document is put together
// (core/shot/types.cpp and the like, by type_of.h); everywhere else it is only called, so that what is mechanical is
// compiled once.
#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/frames.h"
#include "core/value/reading.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::value {

using nlohmann::json;

class Hasher;
class Setting;
class KeyedType;

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

/// Things are given by address; each is of this type.
class Type {
 public:
  virtual ~Type() = default;

  virtual json write(const void* thing, const About& about, const std::filesystem::path& folder) const = 0;
  /// False, with a note, when nothing of it was read.
  virtual bool read(const json& j, void* thing, const About& about, Reading& reading) const = 0;
  virtual void hash(Hasher& hasher, const void* thing) const = 0;

  /// What a path leads to; nothing when it leads nowhere. What is shared on the way is copied when it is to be changed.
  virtual std::optional<Setting> reach(void* thing, std::string_view path, const About& about, bool toChange) const;
  /// Calls see(path, setting) for every setting below that can be keyed.
  using SeeKeyable = std::function<void(const std::string& path, Setting setting)>;
  virtual void eachKeyable(void* /*thing*/, const std::string& /*path*/, const About&, const SeeKeyable&) const {}

  /// Numbers that it consists of, each reached by a name of its own.
  virtual int components() const { return 0; }
  virtual double component(const void* /*thing*/, int /*i*/) const { return 0; }
  virtual void setComponent(void* /*thing*/, int /*i*/, double) const {}
  virtual void show(const void* /*thing*/, int /*component*/, Shown&) const {}
  /// Throws Error for what makes no sense.
  virtual void setText(void* thing, const std::string& text, const About& about, int component) const;
  /// Changes a copy, and puts it in place when the change says so.
  virtual void attempt(void* thing, const std::function<bool(void*)>& change) const = 0;
  virtual const KeyedType* asKeyed() const { return nullptr; }
};

/// A Value<T>: what may change over time.
class KeyedType : public Type {
 public:
  const KeyedType* asKeyed() const override { return this; }
  virtual const Type& plain() const = 0;
  virtual std::vector<int> keyFrames(const void* thing) const = 0;
  virtual bool has(const void* thing, int frame) const = 0;
  /// A key with what holds there already.
  virtual void key(void* thing, int frame) const = 0;
  virtual void unkey(void* thing, int frame) const = 0;
  virtual bool move(void* thing, int from, int to) const = 0;
  virtual bool copy(void* thing, int from, int to) const = 0;
  virtual void setBetween(void* thing, int frame, Between after) const = 0;
  /// Makes it the same everywhere: as it is on this frame.
  virtual void freeze(void* thing, int frame) const = 0;
  /// Runs see(value) on what holds on a frame.
  virtual void at(const void* thing, int frame, const std::function<void(const void*)>& see) const = 0;
  /// Changes what holds on a frame, as a person does there: a key where it has keys; when the change says so.
  virtual void put(void* thing, int frame, const std::function<bool(void*)>& change) const = 0;
};

/// The one object for a type. Defined in type_of.h, for each type in one place.
template <typename T>
const Type& typeOf();
template <>
const Type& typeOf<bool>();
template <>
const Type& typeOf<double>();
template <>
const Type& typeOf<int>();
template <>
const Type& typeOf<std::string>();
template <>
const Type& typeOf<Mat3>();
template <>
const Type& typeOf<FrameRange>();

/// A setting that was reached: where it is, of which type, and what is said of it.
class Setting {
 public:
  Setting(const Type& type, void* thing, const About& about, int component = -1)
      : type_(&type), thing_(thing), about_(about), component_(component) {}
  const Type& type() const { return *type_; }
  const About& about() const { return about_; }
  void* thing() const { return thing_; }
  /// Which number of it was named; -1 for all of it.
  int component() const { return component_; }
  /// It itself, when it is of this type.
  template <typename T>
  const T* as() const {
    return type_ == &typeOf<T>() && component_ < 0 ? static_cast<const T*>(thing_) : nullptr;
  }

  Shown shown(int frame) const;
  /// As in setText and setJson of path.h.
  void setText(const std::string& text, int frame) const;
  void setJson(const json& j, const std::string& path, std::optional<int> frame,
               const std::filesystem::path& folder) const;

  bool keyable() const { return type_->asKeyed() != nullptr; }
  /// The frames with keys, in their order; empty when it has none or cannot have any.
  std::vector<int> keyFrames() const { return keyable() ? keys().keyFrames(thing_) : std::vector<int>(); }
  bool has(int frame) const { return keyable() && keys().has(thing_, frame); }
  void key(int frame) const { keys().key(thing_, frame); }
  void unkey(int frame) const { keys().unkey(thing_, frame); }
  /// False when there is no key to move or copy.
  bool move(int from, int to) const { return keys().move(thing_, from, to); }
  bool copy(int from, int to) const { return keys().copy(thing_, from, to); }
  void setBetween(int frame, Between after) const { keys().setBetween(thing_, frame, after); }
  void freeze(int frame) const { keys().freeze(thing_, frame); }

 private:
  const KeyedType& keys() const { return *type_->asKeyed(); }
  const Type* type_;
  void* thing_;
  About about_;
  int component_;
};

/// The first part of a path, and what is left.
inline std::pair<std::string_view, std::string_view> cut(std::string_view path) {
  const size_t dot = path.find('.');
  return {path.substr(0, dot), dot == std::string_view::npos ? std::string_view() : path.substr(dot + 1)};
}

}  // namespace zentil::value
