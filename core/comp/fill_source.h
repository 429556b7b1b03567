#pragma once
#include <array>

#include "core/comp/layer.h"
#include "core/comp/light.h"

namespace zentil::comp {

/// Plate pixels beside what has to go in which its soft edge, or a matte drawn a little tight, may still show.
constexpr float kClearPx = 4;

/// What a frame shows of the surface, at places of another picture.
struct Sight {
  image::Picture colour;
  image::Picture seen;   ///< 1: it shows the surface there, and nothing that has to go
  image::Picture clear;  ///< how far off what has to go: 0 at its edge, 1 from `kClearPx` on; empty: nothing has to go
};

/// One of the frames that a source is put together from, ready to be asked. Its places are pixels of the first frame.
class Giving {
 public:
  /// Throws Error where the frame cannot be read.
  Giving(const evaluate::Layer& layer, size_t which, RenderCache& cache);
  /// What it shows over a region of a picture whose pixels `to` leads to the first frame's.
  Sight over(const map::MapPtr& to, const Box& region, map::Filter filter) const;
  /// Its pixels for one of that picture's, along the worse direction; 0 where it sees nothing.
  double sharpness(const map::MapPtr& to, const Vec2& at) const;

 private:
  double scale_;
  std::shared_ptr<const image::Picture> picture_, goes_, clear_;
  map::MapPtr ride_;
};

/// What a frame is multiplied by at a place.
std::array<float, 3> gainAt(const LightAround& light, const Vec2& at);
/// Everything so many times further from the corner.
map::MapPtr scaled(double by);

}  // namespace zentil::comp
