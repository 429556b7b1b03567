#pragma once
#include <vector>

#include "core/base/geometry.h"

namespace zentil::image {

/// Float pixels, 4 channels (scene-linear RGBA, premultiplied) or 1 (a matte, a depth), interleaved, top row first.
/// `display` is the frame; `data` is where the pixels are, in the same coordinates, and may be smaller or larger.
class Picture {
 public:
  Picture() = default;
  Picture(const Box& dataWindow, const Box& displayWindow, int channelCount, float fill = 0.0f)
      : data(dataWindow), display(displayWindow), channels(channelCount), values(static_cast<size_t>(dataWindow.width()) * dataWindow.height() * channelCount, fill) {}
  Picture(int width, int height, int channelCount, float fill = 0.0f)
      : Picture(Box{0, 0, width, height}, Box{0, 0, width, height}, channelCount, fill) {}

  bool empty() const { return values.empty(); }
  float* pixel(int x, int y) { return values.data() + offset(x, y); }
  const float* pixel(int x, int y) const { return values.data() + offset(x, y); }
  size_t bytes() const { return values.size() * sizeof(float); }

  Box data, display;
  int channels = 4;
  std::vector<float> values;

 private:
  size_t offset(int x, int y) const { return (static_cast<size_t>(y - data.y0) * data.width() + (x - data.x0)) * channels; }
};

}  // namespace zentil::image
