// The mean of colours that agree.
#include "core/base/robust_mean.h"

#include <gtest/gtest.h>

using zentil::RobustMean;

TEST(RobustMean, WeightsTellWhatMostSay) {
  RobustMean m;
  for (int i = 0; i < 6; ++i) m.add({0.9f, 0.1f, 0.1f}, 0.02f);
  m.add({0.30f, 0.31f, 0.32f}), m.add({0.32f, 0.33f, 0.34f}), m.add({0.31f, 0.32f, 0.33f});
  const auto rgb = m.mean();
  EXPECT_NEAR(rgb[0], 0.31, 0.005);
  EXPECT_NEAR(m.count(), 3, 0.5);
}

TEST(RobustMean, OfTwoHalvesTheMiddleLiesBetweenThem) {
  RobustMean m;
  for (const float v : {0.1f, 0.2f, 0.3f, 0.4f}) m.add({v, v, v});
  EXPECT_NEAR(m.mean()[1], 0.25, 1e-6);
  m.clear();
  m.add({1, 1, 1}, 0.5f), m.add({3, 3, 3}, 0.5f);
  EXPECT_NEAR(m.mean()[0], 2, 1e-6);
}

TEST(RobustMean, WhatLiesFarFromMostDoesNotCount) {
  RobustMean m;
  for (const float v : {0.20f, 0.21f, 0.19f, 0.20f, 0.8f}) m.add({v, v, v});
  EXPECT_NEAR(m.mean()[2], 0.2, 0.004);
}
