#include "core/comp/rimmed_frame.h"

#include "core/image/rim.h"
#include "core/value/hash.h"

namespace zentil::comp {

std::shared_ptr<const image::Picture> rimmedFrame(const RenderCache::FramePtr& frame, uint64_t key, bool around,
                                                  RenderCache& cache) {
  if (!around) return {frame, &frame->forReading()};
  // Six pixels are what the widest filter reads; more is for where a view reduces.
  constexpr int kRim = 32;
  return cache.picture(value::Hasher().add("rim").add(key).key(), frame->bytes(),
                       [&] { return image::withRim(frame->forReading(), kRim); });
}

}  // namespace zentil::comp
