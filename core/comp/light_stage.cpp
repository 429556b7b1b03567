#include "core/comp/finish.h"
#include "core/comp/light.h"
#include "core/comp/plate_layer.h"

namespace zentil::comp {

template <>
int FinishStage<element::FollowedLight>::padding(const element::FollowedLight&) {
  return 0;
}

template <>
void FinishStage<element::FollowedLight>::apply(const element::FollowedLight&, FinishLayer& layer) {
  const SourceContext& m = layer.making;
  if (!m.layer.nearby.empty()) applyLight(layer.picture, lightOver(m.layer, m.cache), toPlate(m.here(), m.cache).get());
}

}  // namespace zentil::comp
