#include "core/comp/finish.h"

namespace zentil::comp {

int finishPadding(const element::Look& look) {
  int sum = 0;
  element::eachStage(look, [&]<typename Stage>(const Stage& s) { sum += FinishStage<Stage>::padding(s); });
  return sum;
}

void finish(FinishLayer& layer) {
  element::eachStage(layer.making.layer.look,
                     [&]<typename Stage>(const Stage& s) { FinishStage<Stage>::apply(s, layer); });
}

}  // namespace zentil::comp
