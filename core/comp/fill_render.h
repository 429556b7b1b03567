#pragma once
#include <vector>

#include "core/comp/layer.h"
#include "core/comp/light.h"

namespace zentil::comp {

/// How the frames that a source is put together from stand to each other. Places are the first frame's plate pixels.
struct FillBuilder {
  std::vector<LightAround> light;  ///< what each one's light is multiplied by; unknown: it stays as it is
  double fine = 1;                 ///< pixels of what is averaged, for one of the first frame's
  /// Where each gives its part (one each): its share times its light's gain a channel, and its share; empty: nowhere.
  std::vector<image::Picture> shares;
  size_t bytes() const;

  FillBuilder() = default;
  /// As it was kept in a file.
  explicit FillBuilder(image::KeptThing kept);
  image::KeptThing kept() const;
};

/// Seams are cut where frames agree (graph cuts: Kwatra et al. 2003, Graphcut Textures; Boykov and Kolmogorov 2004),
/// and light is compared over all that two frames both see. Kept in the workshop. Throws Error where a frame cannot be
/// read.
std::shared_ptr<const FillBuilder> gatheringOf(const evaluate::Layer& layer, RenderCache& cache);
/// Whether it was made before.
bool isGathered(const evaluate::Layer& layer, const RenderCache& cache);

/// What is made of a layer's sources: kept in files too, unless they are fewer than it is made from.
template <typename Thing, typename Make>
std::shared_ptr<const Thing> madeOf(const evaluate::Layer& layer, uint64_t key, RenderCache& cache, const Make& make) {
  return layer.drafted ? cache.thing<Thing>(key, make) : cache.lasting<Thing>(key, make);
}

}  // namespace zentil::comp
