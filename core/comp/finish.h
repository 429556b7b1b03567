#pragma once
#include "core/comp/layer.h"

namespace zentil::comp {

/// A layer on its way from its source to what it is laid on: stages change it, in the order of
/// element::FinishStages.
struct FinishLayer {
  const SourceContext& making;
  image::Picture picture;          ///< premultiplied
  image::Picture matte{};          ///< where it is let through, over the picture; empty: everywhere
  double grainLeft = 0;            ///< as SourceResult has it
  image::Picture grainPerPixel{};  ///< over the picture; empty: `grainLeft` all over
};

/// What a stage does, in a file of its own (softness_stage.cpp, ...).
template <typename Stage>
struct FinishStage {
  /// How far around a pixel it looks, px.
  static int padding(const Stage& stage);
  static void apply(const Stage& stage, FinishLayer& layer);
};

/// How far around a pixel all of a look's stages together have to see, px.
int finishPadding(const element::Look& look);
/// All of them, one after the other.
void finish(FinishLayer& layer);
/// The match alone, for comparing.
void match(image::Picture& picture, const element::Match& stage);

}  // namespace zentil::comp
