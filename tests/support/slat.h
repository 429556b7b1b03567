// A wall with an even red slat well before it, and a fill on the wall with an outline around the slat.
#pragma once
#include <gtest/gtest.h>

#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil::test {

struct Slat {
  static constexpr double kAway = 2, kHalfWide = 0.04, kHalfTall = 0.1;  ///< metres; half way to the wall
  Folder folder;
  shot::Shot s = walkAlongWall(folder, 9);
  std::map<int, image::Picture> clean;
  comp::RenderCache cache{kBudget};

  Slat() {
    for (int f = s.range.first; f <= s.range.last; ++f) clean[f] = image::readFrame(s.plate(), f).picture;
    repaint(s, [&](int f, image::Picture& p) {
      each(f, [&](int x, int y) {
        const float red[] = {0.8f, 0.05f, 0.05f};
        std::copy_n(red, 3, p.pixel(x, y));
      });
    });
    // Drawn a little around it on the middle frame.
    Vec2 lo, hi;
    const auto camera = s.cameraAt(1005);
    EXPECT_TRUE(camera.project(Vec3(-kHalfWide, 1.5 + kHalfTall, 4 - kAway), lo) &&
                camera.project(Vec3(kHalfWide, 1.5 - kHalfTall, 4 - kAway), hi));
    addPatch(s, 1005, 1005, lo.x() - 2, lo.y() - 2, hi.x() + 2, hi.y() + 2);
    s.elements[0].source =
        element::Fill{{1001, 1002, 1003, 1004, 1005, 1006, 1007, 1008, 1009}, {}, element::FillMethod::Averaged, true};
  }
  /// The pixels whose middle sees the slat.
  void each(int f, const std::function<void(int, int)>& pixel) const {
    const auto camera = s.cameraAt(f);
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        const Vec3 d = camera.unproject(Vec2(x + 0.5, y + 0.5)),
                   at = camera.position + d * ((4 - kAway - camera.position.z()) / d.z());
        if (std::abs(at.x()) < kHalfWide && std::abs(at.y() - 1.5) < kHalfTall) pixel(x, y);
      }
  }
  double worst(int f) {
    const auto built = buildFrame(s, f, cache);
    double most = 0;
    each(f, [&](int x, int y) {
      for (int c = 0; c < 3; ++c)
        most = std::max<double>(most, std::abs(built.pixel(x, y)[c] - clean.at(f).pixel(x, y)[c]));
    });
    return most;
  }
};

}  // namespace zentil::test
