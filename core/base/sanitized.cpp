// For builds in which every misstep is told (./run tests --sanitize): what these cannot see into is replaced.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
#include <cstdlib>

// Pictures are kept by TBB's allocator; here by the one that is watched.
extern "C" {
void* scalable_malloc(size_t bytes) { return std::malloc(bytes); }
void scalable_free(void* p) { std::free(p); }
}
#endif
