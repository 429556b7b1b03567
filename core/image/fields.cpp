#include "core/image/fields.h"

#include <algorithm>

#include "core/image/plate.h"

namespace zentil::image {

void keepField(Picture& picture, bool upper) {
  // Rows count from the frame's top, wherever the data begins.
  const int own = upper ? 0 : 1, width = picture.data.width() * picture.channels;
  const auto isOwn = [&](int y) { return ((y % 2) + 2) % 2 == own; };
  const int first = picture.data.y0 + (isOwn(picture.data.y0) ? 0 : 1),
            last = picture.data.y1 - 1 - (isOwn(picture.data.y1 - 1) ? 0 : 1);
  if (first > last) return;  // a single row of the other field
  const auto row = [&](int y) { return picture.pixel(picture.data.x0, std::clamp(y, first, last)); };
  for (int y = picture.data.y0; y < picture.data.y1; ++y) {
    if (isOwn(y)) continue;
    const float *a = row(y - 3), *b = row(y - 1), *c = row(y + 1), *d = row(y + 3);
    float* to = picture.pixel(picture.data.x0, y);
    for (int i = 0; i < width; ++i) {
      const auto [least, most] = std::minmax({a[i], b[i], c[i], d[i]});
      to[i] = std::clamp((9 * (b[i] + c[i]) - a[i] - d[i]) / 16, least, most);
    }
  }
}

void countFields(Plate& plate, Fields fields) {
  const bool before = plate.fields != Fields::Whole, now = fields != Fields::Whole;
  plate.fields = fields;
  if (before == now) return;
  const int first = plate.range.first;
  std::vector<int> missing;
  if (now) {
    plate.range.last = first + 2 * plate.range.count() - 1, plate.fps *= 2;
    for (const int f : plate.missing)
      for (const int half : {0, 1}) missing.push_back(first + 2 * (f - first) + half);
  } else {
    plate.range.last = first + plate.range.count() / 2 - 1, plate.fps /= 2;
    for (const int f : plate.missing)
      if ((f - first) % 2 == 0) missing.push_back(first + (f - first) / 2);
  }
  plate.missing = std::move(missing);
}

}  // namespace zentil::image
