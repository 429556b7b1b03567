#pragma once
#include <cstddef>
#include <functional>
#include <map>
#include <mutex>

namespace zentil {

/// What several threads add up, part by part in their order, so that sums are the same to the bit. Nobody waits: a part
/// that is early is kept until those before it are there.
class InOrder {
 public:
  /// `add` is called for this part now, or `keep` makes what adds it later.
  void put(size_t part, const std::function<void()>& add, const std::function<std::function<void()>()>& keep) {
    const std::lock_guard lock(mutex_);
    if (part != next_) {
      early_.emplace(part, keep());
      return;
    }
    add();
    ++next_;
    for (auto it = early_.begin(); it != early_.end() && it->first == next_; it = early_.erase(it), ++next_)
      it->second();
  }

 private:
  std::mutex mutex_;
  size_t next_ = 0;
  std::map<size_t, std::function<void()>> early_;
};

}  // namespace zentil
