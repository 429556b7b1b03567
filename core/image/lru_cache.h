#pragma once
#include <cstdint>
#include <functional>
#include <future>
#include <list>
#include <memory>
#include <mutex>
#include <unordered_map>

namespace zentil::image {

/// Keeps made things of any kind by key within one budget of bytes; the least recently asked for go first. Several
/// threads may ask: a thing that is being made is waited for, not made twice, and what it will take counts from the
/// start. A maker's exception reaches everyone who waits, and is not kept. A key says what kind of thing it is for: two
/// kinds never share one. What has gone, or is too large to be kept, is not made again for as long as somebody holds
/// it. Who is waited for (see base/parallel.h) makes itself what is being made behind, and what somebody stopped
/// making.
class LruCache {
 public:
  explicit LruCache(size_t budgetBytes) : budget_(budgetBytes) {}

  /// The thing under `key`, made by make() -> Thing when it is not there; Thing has bytes(). `expected`: how large it
  /// will be, about.
  template <typename Thing, typename Make>
  std::shared_ptr<const Thing> get(uint64_t key, size_t expected, const Make& make) {
    const auto any = getAny(key, expected, [&] {
      auto made = std::make_shared<const Thing>(make());
      return Made{made, made->bytes()};
    });
    return std::static_pointer_cast<const Thing>(any);
  }

  bool has(uint64_t key) const;
  size_t bytes() const;
  void setBudget(size_t bytes);
  /// Bytes that others hold and that count as if they lay here (undo's values).
  void setHeldElsewhere(size_t bytes);

 private:
  using Ptr = std::shared_ptr<const void>;
  struct Made {
    Ptr thing;
    size_t bytes;
  };
  struct Kept {
    Ptr thing;
    std::list<uint64_t>::iterator place;
    size_t bytes;
  };
  Ptr getAny(uint64_t key, size_t expected, const std::function<Made()>& make);
  Ptr makeNow(uint64_t key, unsigned id, size_t expected, const std::function<Made()>& make,
              std::promise<Ptr>& promise);
  void trim();
  void keep(uint64_t key, const Made& made);

  mutable std::mutex mutex_;
  size_t budget_, bytes_ = 0, coming_ = 0, elsewhere_ = 0;
  std::list<uint64_t> order_;
  std::unordered_map<uint64_t, Kept> things_;
  struct Making {
    std::shared_future<Ptr> made;
    bool behind;
    unsigned id;
  };
  std::unordered_map<uint64_t, Making> making_;
  unsigned nextMaking_ = 0;
  struct Held {
    std::weak_ptr<const void> thing;
    size_t bytes;
  };
  std::unordered_map<uint64_t, Held> held_;  ///< what was made, in case that somebody still has it
};

}  // namespace zentil::image
