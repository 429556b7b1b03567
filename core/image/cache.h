#pragma once
#include <cstdint>
#include <future>
#include <list>
#include <memory>
#include <mutex>
#include <unordered_map>

namespace zentil::image {

/// Keeps made things by key within a budget of bytes; the least recently asked for go first. Several threads may ask: a
/// thing that is being made is waited for, not made twice. A maker's exception reaches everyone who waits, and is not
/// kept.
template <typename Thing>
class Cache {
 public:
  using Ptr = std::shared_ptr<const Thing>;
  explicit Cache(size_t budgetBytes) : budget_(budgetBytes) {}

  /// The thing under `key`, made by make() -> Thing when it is not there; Thing has bytes().
  template <typename Make>
  Ptr get(uint64_t key, const Make& make) {
    std::promise<Ptr> promise;
    std::shared_future<Ptr> waitFor;
    {
      const std::lock_guard lock(mutex_);
      if (const auto it = things_.find(key); it != things_.end()) {
        order_.splice(order_.begin(), order_, it->second.place);
        return it->second.thing;
      }
      if (const auto it = making_.find(key); it != making_.end())
        waitFor = it->second;
      else
        making_.emplace(key, promise.get_future().share());
    }
    if (waitFor.valid()) return waitFor.get();
    Ptr made;
    try {
      made = std::make_shared<const Thing>(make());
    } catch (...) {
      const std::lock_guard lock(mutex_);
      making_.erase(key);
      promise.set_exception(std::current_exception());
      throw;
    }
    const std::lock_guard lock(mutex_);
    making_.erase(key);
    put(key, made);
    promise.set_value(made);
    return made;
  }

  bool has(uint64_t key) const {
    const std::lock_guard lock(mutex_);
    return things_.count(key) != 0;
  }
  size_t bytes() const {
    const std::lock_guard lock(mutex_);
    return bytes_;
  }
  void setBudget(size_t bytes) {
    const std::lock_guard lock(mutex_);
    budget_ = bytes;
    trim();
  }

 private:
  struct Kept {
    Ptr thing;
    std::list<uint64_t>::iterator place;
    size_t bytes;
  };

  void put(uint64_t key, const Ptr& thing) {
    const size_t size = thing->bytes();
    if (size > budget_) return;  // too large to keep at all
    order_.push_front(key);
    things_[key] = {thing, order_.begin(), size};
    bytes_ += size;
    trim();
  }
  void trim() {
    while (bytes_ > budget_ && !order_.empty()) {
      const auto it = things_.find(order_.back());
      bytes_ -= it->second.bytes;
      things_.erase(it);
      order_.pop_back();
    }
  }

  mutable std::mutex mutex_;
  size_t budget_, bytes_ = 0;
  std::list<uint64_t> order_;
  std::unordered_map<uint64_t, Kept> things_;
  std::unordered_map<uint64_t, std::shared_future<Ptr>> making_;
};

}  // namespace zentil::image
