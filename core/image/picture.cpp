#include "core/image/picture.h"

#include <sys/mman.h>
#include <unistd.h>

namespace zentil::image {

void inLargePages(void* block, size_t bytes) {
  constexpr size_t kWorthIt = size_t{4} << 20;
  if (bytes < kWorthIt) return;
  static const auto page = static_cast<uintptr_t>(sysconf(_SC_PAGESIZE));
  const auto first = (reinterpret_cast<uintptr_t>(block) + page - 1) / page * page,
             last = (reinterpret_cast<uintptr_t>(block) + bytes) / page * page;
  // A wish: where the system has no such pages, small ones do.
  madvise(reinterpret_cast<void*>(first), last - first, MADV_HUGEPAGE);
}

}  // namespace zentil::image
