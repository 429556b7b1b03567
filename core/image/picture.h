#pragma once
#include <tbb/scalable_allocator.h>

#include <memory>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::image {

/// Asks the system to give a large block in pages of megabytes: page by page, taking one for a 4K picture costs as much
/// as filtering it.
void inLargePages(void* block, size_t bytes);

/// Leaves plain numbers unset where a vector would zero them: writing a large picture twice costs as much as filtering
/// it. Blocks come from TBB's allocator, which keeps large ones at hand; the system's would take new, empty pages for
/// every layer of every frame. Still larger ones it gives back, and asks for anew: they come in large pages.
template <typename T>
struct UnsetAllocator : tbb::scalable_allocator<T> {
  template <typename U>
  struct rebind {
    using other = UnsetAllocator<U>;
  };
  UnsetAllocator() = default;
  template <typename U>
  UnsetAllocator(const UnsetAllocator<U>&) {}
  T* allocate(size_t n) {
    T* const block = tbb::scalable_allocator<T>::allocate(n);
    inLargePages(block, n * sizeof(T));
    return block;
  }
  template <typename U>
  void construct(U* p) {
    ::new (static_cast<void*>(p)) U;
  }
  template <typename U, typename... Args>
  void construct(U* p, Args&&... args) {
    ::new (static_cast<void*>(p)) U(std::forward<Args>(args)...);
  }
};

/// What lies beyond a picture's edge: nothing, or, of a 2:1 picture of all around, its other end, and over a pole the
/// other side.
enum class Ends { Apart, Meet };

/// Float pixels, 4 channels (scene-linear RGBA, premultiplied) or 1 (a matte, a depth), interleaved, top row first.
/// `display` is the frame; `data` is where the pixels are, in the same coordinates, and may be smaller or larger.
class Picture {
 public:
  Picture() = default;
  Picture(const Box& dataWindow, const Box& displayWindow, int channelCount, float fill = 0.0f)
      : data(dataWindow),
        display(displayWindow),
        channels(channelCount),
        values(static_cast<size_t>(dataWindow.width()) * dataWindow.height() * channelCount, fill) {}
  Picture(int width, int height, int channelCount, float fill = 0.0f)
      : Picture(Box{0, 0, width, height}, Box{0, 0, width, height}, channelCount, fill) {}

  /// A picture whose values are not set yet; every one has to be written before it is read.
  static Picture unset(const Box& dataWindow, const Box& displayWindow, int channelCount) {
    Picture p;
    p.data = dataWindow, p.display = displayWindow, p.channels = channelCount;
    p.values.resize(static_cast<size_t>(dataWindow.width()) * dataWindow.height() * channelCount);
    return p;
  }

  bool empty() const { return values.empty(); }
  float* pixel(int x, int y) { return values.data() + offset(x, y); }
  const float* pixel(int x, int y) const { return values.data() + offset(x, y); }
  size_t bytes() const { return values.size() * sizeof(float); }

  Box data, display;
  int channels = 4;
  std::vector<float, UnsetAllocator<float>> values;

 private:
  size_t offset(int x, int y) const {
    return (static_cast<size_t>(y - data.y0) * data.width() + (x - data.x0)) * channels;
  }
};

}  // namespace zentil::image
