#pragma once
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::measure {

/// How an element stands against the plate at one frame. The plate around the element's matte, seen through source
/// frame, surface and camera, is registered against the plate as it is there.
struct SlipAt {
  int frame = 0;
  bool known = false;  ///< false: cannot say, and `why` says why
  std::string why;
  /// Where the plate around it is another surface than the element's own (a sign before a wall): that one's id.
  std::string against;
  Vec2 offset =
      Vec2::Zero();  ///< pixels by which the element stands away from where the plate says it belongs, at `centre`
  Mat2 change = Mat2::Zero();  ///< how the offset changes over the picture: offset(x) = offset + change (x - centre)
  Vec2 centre = Vec2::Zero();  ///< middle of the matte on this frame, plate pixels
  double sigmaPx = 0;          ///< standard error of the offset
  int tilesUsed = 0, tilesSeen = 0;
  /// The tiles that were registered, by their middle on the plate; what moves otherwise than the rest does not count.
  struct Tile {
    Vec2 at;
    bool counts = false;
  };
  static constexpr int kTilePx = 28;
  std::vector<Tile> tiles{};

  double px() const { return offset.norm(); }
  Vec2 at(const Vec2& pixel) const { return offset + change * (pixel - centre); }
  double scale() const { return 1 + (change(0, 0) + change(1, 1)) / 2; }
  double turnDegrees() const { return (change(1, 0) - change(0, 1)) / 2 * 57.29577951308232; }
  /// 0 to 1: 1 when the standard error is far below a twentieth of a pixel and all that was seen agrees.
  double confidence() const;
};

/// Slip of one element at one frame. Never throws for a picture that says nothing; throws Error where a file cannot be
/// read.
///
/// The area around the matte (a margin of a twelfth of the frame's height) is cut into tiles; each is registered by
/// Gauss-Newton with gain and offset left free (Lucas and Kanade 1981, An Iterative Image Registration Technique; Baker
/// and Matthews 2004, Lucas-Kanade 20 Years On), coarse then fine; an affine motion is fitted to the tiles by their
/// information matrices with Tukey's weights, so that what does not belong to the surface loses its vote.
SlipAt slipAt(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame,
              comp::RenderCache& cache);

/// The two pictures whose registration is the slip: `seen`, the source through surface and camera, and `plate`;
/// brightness only, with the pixels that may vote in `votes`. For looking at, and for checks that use another
/// registration.
struct SlipPictures {
  image::Picture seen, plate, votes;
  Vec2 centre = Vec2::Zero();
};
SlipPictures slipPictures(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state,
                          const evaluate::Layer& layer, comp::RenderCache& cache, comp::Sees sees = comp::Sees::Seen);

/// How far `seen` is displaced against `plate` where `votes` is 1; the heart of slipAt, on any two pictures of one
/// channel and equal size.
SlipAt registerPictures(const SlipPictures& pictures);

struct Slip {
  std::vector<SlipAt> frames;
  double lockPx = 0;  ///< the worst known slip
  int lockFrame = 0;
  double medianPx = 0;
  int unknown = 0;  ///< frames of which nothing can be said
};

/// An element over the frames of the shot that it shows on. `each`, if given, hears every frame as it is measured.
Slip slipOver(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, comp::RenderCache& cache,
              const Job& job = {}, const std::function<void(const SlipAt&)>& each = {});

/// Lock, median and the count of unknown frames, from the frames.
void summarise(Slip& slip);

/// A content key of everything that an element's slip depends on over the shot's range.
uint64_t slipKey(const evaluate::ShotEvaluator& evaluator, const std::string& elementId);

}  // namespace zentil::measure
