#pragma once
// What typeOf<T>() is made of: a class for each way in which a type of the document is put together. Included only
// where types are made, once for each: type.cpp, and beside the document's structs.
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "core/base/files.h"
#include "core/base/frames.h"
#include "core/value/hash.h"
#include "core/value/type.h"

namespace zentil::value {

/// More things in one list than any shot has: a damaged count, not a shot.
constexpr size_t kMostInAList = 2000000;

namespace inside {

/// A described thing's setting.
struct Field {
  const char* key;
  About about;
  const Type* type;
  size_t offset;
  const void* of(const void* thing) const { return static_cast<const char*>(thing) + offset; }
  void* of(void* thing) const { return static_cast<char*>(thing) + offset; }
};

// What does not depend on a type (type.cpp). What reads is false, with a note, where nothing was read.
bool refuse(const json& j, const char* expected, Reading& r);
bool readNumber(const json& j, double& into, const About& a, Reading& r);
bool readWhole(const json& j, int& into, const About& a, Reading& r);
bool readNumbers(const json& j, double* into, size_t count, const About& a, Reading& r);
int nameAt(const json& j, std::span<const char* const> names, Reading& r);
bool readList(const json& j, const char* expected, Reading& r, const std::function<void(const json&)>& one);
bool readByFrame(const json& e, Reading& r, const std::function<bool(const json&)>& readThing, int& frame);
json writtenByFrame(json j, int frame);
bool readKey(const json& e, Reading& r, const std::function<bool(const json&)>& readThing, int& frame, Between& after);
bool readOwn(Reading& r, const std::function<void()>& run);
json writeFields(const std::vector<Field>& fields, const Unknown* unknown, const void* thing,
                 const std::filesystem::path& folder);
bool readFields(const std::vector<Field>& fields, const json& j, Unknown* unknown, void* thing, Reading& r);

/// A thing to read into; vectors begin at zero.
template <typename T>
T blank() {
  if constexpr (requires { T::Zero(); })
    return T::Zero();
  else
    return T{};
}

template <typename T>
class TypeOf;

/// What every type has by being a type of C++.
template <typename T, typename Base = Type>
class Plain : public Base {
 public:
  void hash(Hasher& h, const void* v) const override {
    if constexpr (requires { h.add(of(v)); })
      h.add(of(v));
    else
      throw std::logic_error("it has no content key");
  }
  void attempt(void* v, const std::function<bool(void*)>& change) const override {
    T copy = of(v);
    if (change(&copy)) of(v) = std::move(copy);
  }

 protected:
  static const T& of(const void* v) { return *static_cast<const T*>(v); }
  static T& of(void* v) { return *static_cast<T*>(v); }
};

template <NamedEnum E>
class TypeOf<E> : public Plain<E> {
  using Plain<E>::of;

 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override { return zentil::nameOf(of(v)); }
  bool read(const json& j, void* v, const About&, Reading& r) const override {
    const int n = nameAt(j, namesOf(of(v)), r);
    if (n >= 0) of(v) = static_cast<E>(n);
    return n >= 0;
  }
  void show(const void* v, int, Shown& out) const override {
    out.is = Shown::Is::Name, out.text = zentil::nameOf(of(v));
    for (const char* n : namesOf(of(v))) out.names.emplace_back(n);
  }
  void setText(void* v, const std::string& text, const About&, int) const override { of(v) = named<E>(text); }
};

/// Several numbers in a row, each reached by a name.
template <typename T, int N>
class Row : public Plain<T> {
  using Plain<T>::of;

 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override {
    return std::vector<double>(of(v).data(), of(v).data() + N);
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    return readNumbers(j, of(v).data(), N, a, r);
  }
  int components() const override { return N; }
  double component(const void* v, int i) const override { return of(v).data()[i]; }
  void setComponent(void* v, int i, double x) const override { of(v).data()[i] = x; }
  void show(const void* v, int c, Shown& out) const override {
    if (c >= 0) out.is = Shown::Is::Number, out.kept = of(v).data()[c];
  }
};
template <int N>
class TypeOf<Eigen::Matrix<double, N, 1>> : public Row<Eigen::Matrix<double, N, 1>, N> {};
template <size_t N>
class TypeOf<std::array<double, N>> : public Row<std::array<double, N>, static_cast<int>(N)> {};

template <typename T>
std::string nameIn(const std::vector<T>& list, size_t i) {
  if constexpr (requires { list[i].id == std::string(); })
    return list[i].id;
  else
    return std::to_string(i);
}
inline std::string under(const std::string& path, const std::string& name) {
  return path.empty() ? name : path + "." + name;
}

template <typename T>
class TypeOf<std::vector<T>> : public Plain<std::vector<T>> {
  using Plain<std::vector<T>>::of;
  const Type& item_ = typeOf<T>();

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    json out = json::array();
    for (const T& x : of(v)) out.push_back(item_.write(&x, a, folder));
    return out;
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    std::vector<T> out;
    const bool done = readList(j, "a list", r, [&](const json& e) {
      T x = blank<T>();
      if (item_.read(e, &x, a, r)) out.push_back(std::move(x));
    });
    if (done) of(v) = std::move(out);
    return done;
  }
  std::optional<Setting> reach(void* v, std::string_view path, const About& a, bool toChange) const override {
    if (path.empty()) return Setting(*this, v, a);
    const auto [first, rest] = cut(path);
    for (size_t i = 0; i < of(v).size(); ++i)
      if (first == nameIn(of(v), i)) return item_.reach(&of(v)[i], rest, a, toChange);
    return std::nullopt;
  }
  void eachKeyable(void* v, const std::string& path, const About& a, const Type::SeeKeyable& see) const override {
    if constexpr (Described<T>)
      for (size_t i = 0; i < of(v).size(); ++i) item_.eachKeyable(&of(v)[i], under(path, nameIn(of(v), i)), a, see);
  }
};
/// Things by frame: a list of them, each with its frame.
template <typename T>
class TypeOf<std::map<int, T>> : public Plain<std::map<int, T>> {
  using Plain<std::map<int, T>>::of;
  const Type& item_ = typeOf<T>();

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    json out = json::array();
    for (const auto& [frame, x] : of(v)) out.push_back(writtenByFrame(item_.write(&x, a, folder), frame));
    return out;
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    std::map<int, T> out;
    const bool done = readList(j, "a list", r, [&](const json& e) {
      int frame = 0;
      T x = blank<T>();
      if (readByFrame(
              e, r, [&](const json& rest) { return item_.read(rest, &x, a, r); }, frame))
        out[frame] = std::move(x);
    });
    if (done) of(v) = std::move(out);
    return done;
  }
};
template <typename T>
class TypeOf<Keys<T>> : public Plain<Keys<T>> {
  using Plain<Keys<T>>::of;
  const Type& item_ = typeOf<T>();

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    json out = json::array();
    for (const auto& [frame, k] : of(v).all())
      out.push_back({frame, item_.write(&k.value, a, folder), zentil::nameOf(k.after)});
    return out;
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    Keys<T> out;
    const bool done = readList(j, "a list of keys", r, [&](const json& e) {
      int frame = 0;
      T x = blank<T>();
      Between after = Between::Linear;
      if (readKey(
              e, r, [&](const json& one) { return item_.read(one, &x, a, r); }, frame, after))
        out.put(frame, std::move(x), after);
    });
    if (done) of(v) = std::move(out);
    return done;
  }
};
template <typename T>
class TypeOf<Value<T>> : public Plain<Value<T>, KeyedType> {
  using Plain<Value<T>, KeyedType>::of;
  const Type& plain_ = typeOf<T>();
  const Type& keys_ = typeOf<Keys<T>>();

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    if (!of(v).keyed()) return plain_.write(&of(v).constant(), a, folder);
    return {{"keys", keys_.write(&of(v).keys(), a, folder)}};
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    if (!j.is_object() || !j.contains("keys")) {
      T x = of(v).constant();
      if (!plain_.read(j, &x, a, r)) return false;
      of(v) = Value<T>(std::move(x));
      return true;
    }
    Value<T> out(of(v).constant());
    bool done = false;
    r.inside("keys", [&] { done = keys_.read(j.at("keys"), &out.keys(), a, r); });
    if (done) of(v) = std::move(out);
    return done;
  }
  int components() const override { return plain_.components(); }
  void eachKeyable(void* v, const std::string& path, const About& a, const Type::SeeKeyable& see) const override {
    see(path, Setting(*this, v, a));
  }
  const Type& plain() const override { return plain_; }
  std::vector<int> keyFrames(const void* v) const override {
    std::vector<int> out;
    for (const auto& [f, k] : of(v).keys().all()) out.push_back(f);
    return out;
  }
  bool has(const void* v, int frame) const override { return of(v).keys().has(frame); }
  void key(void* v, int frame) const override { of(v).key(frame); }
  void unkey(void* v, int frame) const override { of(v).unkey(frame); }
  bool move(void* v, int from, int to) const override { return of(v).keys().move(from, to); }
  bool copy(void* v, int from, int to) const override {
    const auto it = of(v).keys().all().find(from);
    if (it == of(v).keys().all().end()) return false;
    const auto key = it->second;
    of(v).keys().put(to, key.value, key.after);
    return true;
  }
  void setBetween(void* v, int frame, Between after) const override { of(v).keys().setBetween(frame, after); }
  void freeze(void* v, int frame) const override {
    if (of(v).keyed()) of(v) = of(v).at(frame);
  }
  void at(const void* v, int frame, const std::function<void(const void*)>& see) const override {
    const T x = of(v).at(frame);
    see(&x);
  }
  void put(void* v, int frame, const std::function<bool(void*)>& change) const override {
    T x = of(v).at(frame);
    if (change(&x)) of(v).put(frame, std::move(x));
  }
};
/// One of several kinds; "kind" says which.
template <typename... T>
class TypeOf<std::variant<T...>> : public Plain<std::variant<T...>> {
  using Plain<std::variant<T...>>::of;
  const Type* kinds_[sizeof...(T)] = {&typeOf<T>()...};
  static constexpr const char* kNames[] = {T::kKind...};
  static void* held(std::variant<T...>& v) {
    return std::visit([](auto& x) -> void* { return &x; }, v);
  }

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    json j =
        kinds_[of(v).index()]->write(std::visit([](const auto& x) -> const void* { return &x; }, of(v)), a, folder);
    j["kind"] = kNames[of(v).index()];
    return j;
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    if (!j.is_object() || !j.contains("kind") || !j.at("kind").is_string())
      return refuse(j, "something with a kind", r);
    int kind = -1;
    r.inside("kind", [&] { kind = nameAt(j.at("kind"), kNames, r); });
    if (kind < 0) return false;
    json rest = j;
    rest.erase("kind");
    int n = 0;
    const auto begin = [&]<typename K>(std::type_identity<K>) {
      if (n++ == kind && !std::holds_alternative<K>(of(v))) of(v) = K{};
    };
    (begin(std::type_identity<T>{}), ...);
    kinds_[kind]->read(rest, held(of(v)), a, r);
    return true;
  }
  std::optional<Setting> reach(void* v, std::string_view path, const About& a, bool toChange) const override {
    if (path.empty() || path == "kind") return Setting(*this, v, a);
    return kinds_[of(v).index()]->reach(held(of(v)), path, a, toChange);
  }
  void eachKeyable(void* v, const std::string& path, const About& a, const Type::SeeKeyable& see) const override {
    kinds_[of(v).index()]->eachKeyable(held(of(v)), path, a, see);
  }
};
template <Described T>
class TypeOf<T> : public Plain<T> {
  using Plain<T>::of;
  std::vector<Field> fields_;
  static const Unknown* unknownOf(const void* v) {
    if constexpr (requires { of(v).unknown; })
      return &of(v).unknown;
    else
      return nullptr;
  }

 public:
  TypeOf() {
    const T one{};
    describe(static_cast<const T*>(nullptr), [&](const char* key, auto member, const About& about) {
      const auto& there = one.*member;
      fields_.push_back(
          {key, about, &typeOf<std::decay_t<decltype(there)>>(),
           static_cast<size_t>(reinterpret_cast<const char*>(&there) - reinterpret_cast<const char*>(&one))});
    });
  }
  json write(const void* v, const About&, const std::filesystem::path& folder) const override {
    return writeFields(fields_, unknownOf(v), v, folder);
  }
  bool read(const json& j, void* v, const About&, Reading& r) const override {
    return readFields(fields_, j, const_cast<Unknown*>(unknownOf(v)), v, r);
  }
  void hash(Hasher& h, const void* v) const override {
    for (const auto& f : fields_) h.add(f.key, f.about, *f.type, f.of(v));
  }
  std::optional<Setting> reach(void* v, std::string_view path, const About& a, bool toChange) const override {
    if (path.empty()) return Setting(*this, v, a);
    const auto [first, rest] = cut(path);
    for (const auto& f : fields_)
      if (first == f.key) return f.type->reach(f.of(v), rest, f.about, toChange);
    return std::nullopt;
  }
  void eachKeyable(void* v, const std::string& path, const About&, const Type::SeeKeyable& see) const override {
    for (const auto& f : fields_) f.type->eachKeyable(f.of(v), under(path, f.key), f.about, see);
  }
};
/// A heavy part that values of the document share; it is copied when it is changed. One that has a JSON of its own is
/// written so: ADL finds asJson(thing) and fromJson(json, thing&), which throws.
template <typename T>
class TypeOf<std::shared_ptr<const T>> : public Plain<std::shared_ptr<const T>> {
  using Plain<std::shared_ptr<const T>>::of;

 public:
  json write(const void* v, const About& a, const std::filesystem::path& folder) const override {
    if (!of(v)) return nullptr;
    if constexpr (Described<T>)
      return typeOf<T>().write(of(v).get(), a, folder);
    else
      return asJson(*of(v));
  }
  bool read(const json& j, void* v, const About& a, Reading& r) const override {
    if (j.is_null()) return true;  // only what may be absent is written as null
    auto out = of(v) ? std::make_shared<T>(*of(v)) : std::make_shared<T>();
    if constexpr (Described<T>) {
      if (!typeOf<T>().read(j, out.get(), a, r)) return false;
    } else {
      if (!readOwn(r, [&] { fromJson(j, *out); })) return false;
    }
    of(v) = std::move(out);
    return true;
  }
  std::optional<Setting> reach(void* v, std::string_view path, const About& a, bool toChange) const override {
    if (path.empty()) return Setting(*this, v, a);
    if constexpr (Described<T>) {
      if (!of(v) || !typeOf<T>().reach(const_cast<T*>(of(v).get()), path, a, false)) return std::nullopt;
      if (toChange) of(v) = std::make_shared<T>(*of(v));
      return typeOf<T>().reach(const_cast<T*>(of(v).get()), path, a, toChange);
    }
    return std::nullopt;
  }
};
/// Plain things with a JSON of their own.
template <typename T>
requires(!Described<T> && requires(const T& t) { asJson(t); }) class TypeOf<T> : public Plain<T> {
  using Plain<T>::of;

 public:
  json write(const void* v, const About&, const std::filesystem::path&) const override { return asJson(of(v)); }
  bool read(const json& j, void* v, const About&, Reading& r) const override {
    T out{};
    if (!readOwn(r, [&] { fromJson(j, out); })) return false;
    of(v) = std::move(out);
    return true;
  }
};

}  // namespace inside

template <typename T>
const Type& typeOf() {
  static const inside::TypeOf<T> one;
  return one;
}

}  // namespace zentil::value
