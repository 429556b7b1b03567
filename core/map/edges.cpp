#include "core/map/edges.h"

#include <algorithm>
#include <array>

#include "core/base/parallel.h"

namespace zentil::map {
namespace {

/// Places across and down a pixel: its part is told to a sixteenth.
constexpr int kAcross = 4, kPlaces = kAcross * kAcross;

float partOf(const Map& map, const Box& source, int x, int y) {
  std::array<MapSample, kPlaces> spots;
  for (int i = 0; i < kPlaces; ++i)
    spots[static_cast<size_t>(i)].at = Vec2(x + (i % kAcross + 0.5) / kAcross, y + (i / kAcross + 0.5) / kAcross);
  map.apply(spots.data(), spots.size());
  const auto inside = std::count_if(spots.begin(), spots.end(), [&](const MapSample& s) {
    return s.branch != kInvalid && s.at.x() >= source.x0 && s.at.x() < source.x1 && s.at.y() >= source.y0 &&
           s.at.y() < source.y1;
  });
  return static_cast<float>(inside) / kPlaces;
}

}  // namespace

void softenEdges(image::Picture& picture, image::Picture& covered, const Map& map, const Box& source,
                 const image::Picture* wanted) {
  const image::Picture hard = picture, read = covered;
  const Box region = picture.data;
  const int channels = picture.channels;
  const auto asked = [&](int x, int y) { return !wanted || *wanted->pixel(x, y) > 0; };
  parallelRanges(region.y0, region.y1, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = region.x0; x < region.x1; ++x) {
        if (!asked(x, y)) continue;
        const bool is = *read.pixel(x, y) > 0;
        bool edge = false;
        std::array<float, 4> beside{};
        int n = 0;
        for (int v = std::max(region.y0, y - 1); v <= std::min(region.y1 - 1, y + 1); ++v)
          for (int u = std::max(region.x0, x - 1); u <= std::min(region.x1 - 1, x + 1); ++u) {
            if (!asked(u, v)) continue;
            const bool there = *read.pixel(u, v) > 0;
            edge |= there != is;
            if (!there) continue;
            ++n;
            for (int c = 0; c < channels; ++c) beside[static_cast<size_t>(c)] += hard.pixel(u, v)[c];
          }
        if (!edge) continue;
        const float part = partOf(map, source, x, y);
        *covered.pixel(x, y) = part;
        for (int c = 0; c < channels; ++c)
          picture.pixel(x, y)[c] =
              part * (is ? hard.pixel(x, y)[c] : beside[static_cast<size_t>(c)] / static_cast<float>(std::max(1, n)));
      }
  });
}

}  // namespace zentil::map
