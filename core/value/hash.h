#pragma once
// A content key of described settings: of those that touch pixels, or of all.
#include "core/base/frames.h"
#include "core/base/hash.h"
#include "core/value/type.h"

namespace zentil::value {

/// Collects what a content key is made of.
class Hasher {
 public:
  explicit Hasher(bool pixelsOnly = true, uint64_t seed = hashOf("zentil")) : pixelsOnly_(pixelsOnly), h_(seed) {}
  uint64_t key() const { return h_; }

  Hasher& add(uint64_t v) {
    h_ = hashOf(v, h_);
    return *this;
  }
  Hasher& add(int v) { return add(static_cast<uint64_t>(static_cast<int64_t>(v))); }
  Hasher& add(bool v) { return add(static_cast<uint64_t>(v)); }
  Hasher& add(double v) {
    uint64_t bits;
    v += 0.0;  // -0 and 0 are one
    __builtin_memcpy(&bits, &v, 8);
    return add(bits);
  }
  Hasher& add(const std::string& v) {
    h_ = hashOf(v, h_);
    return add(static_cast<uint64_t>(v.size()));
  }
  Hasher& add(const char* v) { return add(std::string(v)); }
  Hasher& add(const FrameRange& r) { return add(r.first).add(r.last); }
  Hasher& add(const Unknown&) { return *this; }
  template <typename E>
  requires std::is_enum_v<E> Hasher& add(E e) { return add(static_cast<int>(e)); }
  template <int R, int C>
  Hasher& add(const Eigen::Matrix<double, R, C>& m) {
    for (Eigen::Index i = 0; i < m.size(); ++i) add(m.data()[i]);
    return *this;
  }
  template <size_t N>
  Hasher& add(const std::array<double, N>& v) {
    for (const double x : v) add(x);
    return *this;
  }
  template <typename T, typename H = Hasher>
  requires requires(H& h, const T& x) { h.add(x); }
  Hasher& add(const std::vector<T>& v) {
    add(static_cast<uint64_t>(v.size()));
    for (const T& x : v) add(x);
    return *this;
  }
  template <typename T, typename H = Hasher>
  requires requires(H& h, const T& x) { h.add(x); }
  Hasher& add(const std::map<int, T>& v) {
    add(static_cast<uint64_t>(v.size()));
    for (const auto& [f, x] : v) add(f), add(x);
    return *this;
  }
  template <typename T>
  Hasher& add(const Keys<T>& v) {
    add(static_cast<uint64_t>(v.all().size()));
    for (const auto& [f, k] : v.all()) add(f), add(k.value), add(k.after);
    return *this;
  }
  template <typename T>
  Hasher& add(const Value<T>& v) {
    return v.keyed() ? add(v.keys()) : add(v.constant());
  }
  template <typename... T>
  Hasher& add(const std::variant<T...>& v) {
    std::visit([&](const auto& x) { add(std::decay_t<decltype(x)>::kKind), add(x); }, v);
    return *this;
  }
  /// What has a key of its own.
  template <typename T>
  requires requires(const T& t) {
    { t.key() } -> std::same_as<uint64_t>;
  }
  Hasher& add(const T& v) { return add(v.key()); }
  template <Described T>
  Hasher& add(const T& v) {
    typeOf<T>().hash(*this, &v);
    return *this;
  }
  /// A setting of a described thing.
  Hasher& add(const char* key, const About& about, const Type& type, const void* setting) {
    if (pixelsOnly_ && (!about.pixels || about.isFile)) return *this;  // what is in a file is told by its stamp
    h_ = hashOf(key, h_);
    type.hash(*this, setting);
    return *this;
  }

 private:
  bool pixelsOnly_;
  uint64_t h_;
};

}  // namespace zentil::value
