#pragma once
#include <functional>
#include <map>
#include <memory>
#include <span>
#include <vector>

#include "core/element/paint_settings.h"
#include "core/image/picture.h"

namespace zentil::retouch {

/// What the stroke that knew most of it has told of the light whose shade was lifted, for those that follow: a narrow
/// shade alone tells little.
struct IlluminantEstimate {
  double label = 0;       ///< how much it knew: pixels, as far as they are dark; 0: nothing told yet
  Vec3 missing{1, 1, 1};  ///< of each channel's light in the shade, in proportion; 1 in the mean
  double soft = 0;        ///< by how much colour is softer than brightness: sigma in pixels
};

/// What strokes laid over a picture: premultiplied colour, in tiles where they reach. Copies share their tiles.
class Canvas {
 public:
  static constexpr int kTile = 128;
  using TilePtr = std::shared_ptr<const image::Picture>;

  /// On a picture of 4 channels, within a frame.
  Canvas(const Box& frame, std::shared_ptr<const image::Picture> under) : frame_(frame), under_(std::move(under)) {}

  const Box& frame() const { return frame_; }
  const image::Picture& under() const { return *under_; }
  /// The picture with the paint on it; all zero where it has no pixels.
  image::Picture seen(const Box& box) const;
  /// The paint alone, over all that it reaches and a rim of nothing; empty where there is none.
  image::Picture paint() const;
  Box reach() const;
  size_t bytes() const;

  static int tileOf(int v) { return v >= 0 ? v / kTile : -((kTile - 1 - v) / kTile); }
  static Box boxOf(std::pair<int, int> tile) {
    return {tile.first * kTile, tile.second * kTile, (tile.first + 1) * kTile, (tile.second + 1) * kTile};
  }
  /// The paint of a tile; null where there is none.
  TilePtr tile(std::pair<int, int> at) const {
    const auto it = tiles_.find(at);
    return it == tiles_.end() ? nullptr : it->second;
  }
  void put(std::pair<int, int> at, TilePtr tile) { tiles_[at] = std::move(tile); }
  const IlluminantEstimate& light() const { return light_; }
  void tell(const IlluminantEstimate& light) { light_ = light; }
  /// Throws Error where the last stroke was to lift a shadow and lifted none: what was asked for and did nothing says
  /// so. A stroke that did something once, and finds nothing since what is below has changed, is kept.
  void requireLifted() const;
  void noteLifted(bool anything) { liftedNothing_ = !anything; }

 private:
  Box frame_;
  std::shared_ptr<const image::Picture> under_;
  std::map<std::pair<int, int>, TilePtr> tiles_;  ///< by column and row
  IlluminantEstimate light_;
  bool liftedNothing_ = false;
};

/// One touch of a brush.
struct Dab {
  Vec2 at;
  double radius = 0, flow = 1;
};

/// Dabs along a pen's way, as far apart as the brush says; a way may come in pieces. (Common practice, no source.)
class Dabs {
 public:
  explicit Dabs(const element::Brush& brush) : brush_(brush) {}
  /// Throws Error when there are more than any hand makes.
  std::vector<Dab> along(std::span<const element::PenPoint> points);

 private:
  Dab dabAt(const Vec2& at, double pressure) const;
  element::Brush brush_;
  bool began_ = false;
  element::PenPoint last_;
  double due_ = 0;  ///< px until the next
  size_t count_ = 0;
};

/// How much of a dab is on a pixel so far from its middle: 1 inside `hardness` of the radius, falling smoothly
/// (1 - 3t^2 + 2t^3) to 0 at the radius; over one pixel at the least.
float coverageOf(double distance, double radius, double hardness);

/// A stroke while it is drawn, onto a canvas. What it takes pixels from is the canvas as it was before.
class Stroking {
 public:
  /// Pixels of another frame, over a box of this one's, premultiplied: alpha 0 where there are none.
  using Elsewhere = std::function<image::Picture(const Box&)>;
  Stroking(Canvas& canvas, const element::Brush& brush, Elsewhere elsewhere = {});
  ~Stroking();
  /// Goes on; the part of the frame that changed.
  Box to(std::span<const element::PenPoint> points);
  /// Ends; what is made from all of it is made now.
  Box end();

 private:
  struct Tile;
  Tile& tileAt(std::pair<int, int> at);
  void mark(Tile& tile, const std::vector<Dab>& dabs) const;
  void fill(Tile& tile, const Box& box) const;
  image::Picture source(const Box& box) const;
  /// Whether it is made from all of it, at its end.
  bool atItsEnd() const {
    using element::BrushTool;
    return brush_.tool == BrushTool::Close || brush_.tool == BrushTool::Even || brush_.tool == BrushTool::Lift;
  }
  image::Picture marked(const Box& box) const;
  image::Picture closed() const;
  Box smear(const std::vector<Dab>& dabs);

  Canvas& canvas_;
  const Canvas before_;
  element::Brush brush_;
  Elsewhere elsewhere_;
  Dabs dabs_;
  std::map<std::pair<int, int>, std::unique_ptr<Tile>> tiles_;
  image::Picture carried_;  ///< smear
  std::vector<Vec2> way_;   ///< even
  Box touched_;
};

}  // namespace zentil::retouch
