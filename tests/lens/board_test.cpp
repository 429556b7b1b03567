#include "core/lens/board.h"

#include <gtest/gtest.h>

#include "tests/support/synthetic.h"

namespace zentil {
namespace {

TEST(Boards, TheOddPictureIsTheOneToBlame) {
  // Four pictures of one size and one of another, which comes first.
  std::vector<lens::BoardCorners> boards(5);
  for (size_t i = 0; i < boards.size(); ++i) {
    auto& b = boards[i];
    b.file = fmt::format("board{}.jpg", i), b.columns = 3, b.rows = 3;
    b.width = i == 0 ? 1024 : 640, b.height = i == 0 ? 768 : 480;
    for (int k = 0; k < 9; ++k) b.corners.emplace_back(100 + 40 * (k % 3), 100 + 40 * (k / 3));
  }
  EXPECT_EQ(test::errorOf([&] { lens::calibrate(boards, {}); }),
            "board0.jpg: is 1024 x 768, the others are 640 x 480. Take all pictures with one camera at one size.");
}

}  // namespace
}  // namespace zentil
