#pragma once
#ifdef __SANITIZE_THREAD__
#include <sanitizer/tsan_interface.h>
#endif

namespace zentil {

/// Libraries that run work on other threads order what lies before it, in it and after it. A sanitizer that cannot see
/// into them is told by this; in any other build it is nothing.
class Order {
 public:
#ifdef __SANITIZE_THREAD__
  void before() { __tsan_release(&begun_); }
  void enter() { __tsan_acquire(&begun_); }
  void leave() { __tsan_release(&ended_); }
  void after() {
    __tsan_acquire(&ended_);
    // Where the library waited, on this thread's stack, its other threads count down after what lies in it; nobody
    // tells where that is.
    constexpr int kDeep = 4096;
    auto* const here = static_cast<char*>(__builtin_frame_address(0));
    for (char* at = here - kDeep; at < here; at += sizeof(int)) __tsan_acquire(at);
  }

 private:
  char begun_ = 0, ended_ = 0;
#else
  void before() {}
  void enter() {}
  void leave() {}
  void after() {}
#endif
};

}  // namespace zentil
