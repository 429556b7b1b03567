#include "core/image/lru_cache.h"

#include <tbb/task_arena.h>

#include "core/base/parallel.h"

namespace zentil::image {

LruCache::Ptr LruCache::getAny(uint64_t key, size_t expected, const std::function<Made()>& make) {
  for (;;) {
    std::promise<Ptr> promise;
    std::shared_future<Ptr> waitFor;
    unsigned id = 0;
    {
      const std::lock_guard lock(mutex_);
      if (const auto it = things_.find(key); it != things_.end()) {
        order_.splice(order_.begin(), order_, it->second.place);
        return it->second.thing;
      }
      if (const auto it = held_.find(key); it != held_.end())
        if (Ptr thing = it->second.thing.lock()) {
          keep(key, {thing, it->second.bytes});
          return thing;
        }
      const auto it = making_.find(key);
      if (it != making_.end() && (!it->second.behind || isBehind())) {
        waitFor = it->second.made;
      } else {
        id = ++nextMaking_;
        making_[key] = {promise.get_future().share(), isBehind(), id};
        coming_ += expected;
        trim();
      }
    }
    if (!waitFor.valid()) return makeNow(key, id, expected, make, promise);
    try {
      return waitFor.get();
    } catch (const Stopped&) {
      // Somebody else's work was stopped. Ours, where it was not, goes on by itself.
      checkStopped();
    }
  }
}

LruCache::Ptr LruCache::makeNow(uint64_t key, unsigned id, size_t expected, const std::function<Made()>& make,
                                std::promise<Ptr>& promise) {
  const auto done = [&] {
    if (const auto it = making_.find(key); it != making_.end() && it->second.id == id) making_.erase(it);
    coming_ -= expected;
  };
  Made made;
  try {
    // A parallel loop within make() may take up other work while it waits for its pieces. If that asked for this very
    // thing it would wait for itself: only pieces of make() are taken up.
    tbb::this_task_arena::isolate([&] { made = make(); });
  } catch (...) {
    {
      const std::lock_guard lock(mutex_);
      done();
    }
    promise.set_exception(std::current_exception());
    throw;
  }
  {
    const std::lock_guard lock(mutex_);
    done();
    if (!things_.count(key)) keep(key, made);
    held_[key] = {made.thing, made.bytes};
    if (held_.size() > 2 * things_.size() + 256)
      std::erase_if(held_, [](const auto& h) { return h.second.thing.expired(); });
  }
  promise.set_value(made.thing);
  return made.thing;
}

void LruCache::keep(uint64_t key, const Made& made) {
  if (made.bytes > budget_) return;  // too large to keep at all
  order_.push_front(key);
  things_[key] = {made.thing, order_.begin(), made.bytes};
  bytes_ += made.bytes;
  trim();
}

bool LruCache::has(uint64_t key) const {
  const std::lock_guard lock(mutex_);
  return things_.count(key) != 0;
}

size_t LruCache::bytes() const {
  const std::lock_guard lock(mutex_);
  return bytes_;
}

void LruCache::setBudget(size_t bytes) {
  const std::lock_guard lock(mutex_);
  budget_ = bytes;
  trim();
}

void LruCache::setHeldElsewhere(size_t bytes) {
  const std::lock_guard lock(mutex_);
  elsewhere_ = bytes;
  trim();
}

void LruCache::trim() {
  while (bytes_ + coming_ + elsewhere_ > budget_ && !order_.empty()) {
    const auto it = things_.find(order_.back());
    bytes_ -= it->second.bytes;
    things_.erase(it);
    order_.pop_back();
  }
}

}  // namespace zentil::image
