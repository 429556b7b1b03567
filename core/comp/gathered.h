#pragma once
#include <vector>

#include "core/comp/layer.h"
#include "core/comp/light.h"

namespace zentil::comp {

/// How the frames that a source is put together from stand to each other. Places are the first frame's plate pixels.
struct Gathering {
  std::vector<LightAround> light;  ///< what each one's light is multiplied by; unknown: it stays as it is
  double fine = 1;                 ///< pixels of what is averaged, for one of the first frame's
  /// Where each gives its part (one each): its share times its light's gain a channel, and its share; empty: nowhere.
  std::vector<image::Picture> shares;
  map::MapPtr toShares;  ///< from the first frame's pixels to the shares'
  size_t bytes() const;
};

/// Seams are cut where frames agree (graph cuts: Kwatra et al. 2003, Graphcut Textures; Boykov and Kolmogorov 2004),
/// and light is compared over all that two frames both see. Kept in the workshop. Throws Error where a frame cannot be
/// read.
std::shared_ptr<const Gathering> gatheringOf(const moment::Layer& layer, Workshop& workshop);

/// All frames averaged, as the first would see it, `Gathering::fine` pixels for one of its own.
struct Averaged {
  image::Picture colour;  ///< alpha 0 where no frame shows anything
  image::Picture frames;  ///< how many frames stand in each, as their weights count
  size_t bytes() const { return colour.bytes() + frames.bytes(); }
};
/// The part of it that a region of fine pixels needs, in whole tiles; each is made once and kept. In every pixel what
/// differs from most frames is left out (Tukey's weights about the median); sharper frames count more. `wanted` (fine
/// pixels): only tiles that touch something there; null: all.
Averaged averagedOver(const moment::Layer& layer, const Gathering& gathering, const std::vector<Box>& regions,
                      Workshop& workshop);

}  // namespace zentil::comp
