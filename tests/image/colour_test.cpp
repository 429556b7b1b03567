#include <gtest/gtest.h>

#include <cmath>

#include "core/image/colour.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(Colour, TheViewTableIsWithinHalfALevelOfTheExactTransform) {
  for (const double exposure : {-1.5, 0.0, 2.0}) {
    const image::ViewTable table(exposure, 1.2);
    double worst = 0;
    for (double v = 0.0005; v < 8; v *= 1.0007)
      worst = std::max(worst, std::abs(table(static_cast<float>(v)) -
                                       255.0 * image::ViewTable::exactly(static_cast<float>(v), exposure, 1.2)));
    EXPECT_LE(worst, 0.75) << exposure;  // half a level of rounding, and a quarter for the table's steps
  }
}
TEST(Colour, BlackNegativeAndNotANumberAreShownBlack) {
  const image::ViewTable table;
  EXPECT_EQ(table(0.0f), 0);
  EXPECT_EQ(table(-3.0f), 0);
  EXPECT_EQ(table(std::nanf("")), 0);
  EXPECT_EQ(table(1e9f), 255);
}
TEST(Colour, ThereAndBackIsTheSame) {
  for (const auto& space : image::colourSpaces()) {
    image::Picture p(8, 1, 4, 1.0f);
    for (int x = 0; x < 8; ++x) p.pixel(x, 0)[0] = 0.02f + 0.1f * static_cast<float>(x);
    auto q = p;
    image::fromSceneLinear(q, space);
    image::toSceneLinear(q, space);
    for (int x = 0; x < 8; ++x) EXPECT_NEAR(q.pixel(x, 0)[0], p.pixel(x, 0)[0], 2e-5) << space;
  }
}
TEST(Colour, AnUnknownSpaceIsRefusedWithTheListOfKnownOnes) {
  image::Picture p(1, 1, 4);
  EXPECT_NE(test::errorOf([&] { image::toSceneLinear(p, "purple"); }).find("rec709"), std::string::npos);
}
