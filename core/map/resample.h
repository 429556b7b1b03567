#pragma once
#include "core/image/picture.h"
#include "core/map/map.h"

namespace zentil::map {

class Lattice;

/// How a picture is read between its pixels. Where the map reduces (more than about 1.3 source pixels to one) every
/// filter averages over the footprint; these say what happens elsewhere.
enum class Filter {
  Draft,    ///< bilinear: soft and fast
  Sharp,    ///< Catmull-Rom cubic (Catmull and Rom 1974; Keys 1981, Cubic Convolution Interpolation, a = -0.5)
  Sharper,  ///< Lanczos over 6 x 6 pixels (Duchon 1979)
};

/// The one resampling: the pixels of `region` (output coordinates), each read from `source` where `map` sends its
/// centre.
///
/// Returns a picture with data window `region`, the same channels as the source, `display` given. A pixel is all zero
/// where the map leads nowhere or outside the source's data window; `covered`, if given, becomes a matte of the same
/// region with 1 where something was read. The map is evaluated on a lattice of 8 px, each cell is interpolated where
/// its second differences show an error under 1/128 px, and every pixel is evaluated exactly elsewhere. Where `wanted`,
/// a matte of the same region, is 0 all over a cell, nothing is evaluated and the pixels are zero; every other pixel is
/// what it would be without. Runs on all cores.
image::Picture resample(const image::Picture& source, const Map& map, const Box& region, const Box& display,
                        Filter filter, image::Picture* covered = nullptr, const image::Picture* wanted = nullptr);

/// The same by places that are kept (Lattice::kept), for the region that they are of. `ends`: whether the source's ends
/// meet; its left one then goes on at the right, and over a pole it goes down the other side.
image::Picture resample(const image::Picture& source, const Lattice& lattice, const Box& display, Filter filter,
                        image::Ends ends = image::Ends::Apart);

}  // namespace zentil::map
