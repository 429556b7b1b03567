#pragma once
#include <functional>
#include <variant>

#include "core/comp/render_cache.h"
#include "core/image/passes.h"
#include "core/map/resample.h"

namespace zentil::comp {

/// What making one element's layer works with.
struct SourceContext {
  const evaluate::FrameState& state;
  const evaluate::Layer& layer;
  RenderCache& cache;
  map::Filter filter;
  const evaluate::SceneState* stage = state.here.get();  ///< the one it is looked at from
  double time = 0;                                       ///< of a frame, before or after that (see comp/motion.h)

  const evaluate::SceneState& here() const { return *stage; }
};

/// How a source's pixels are found.
/// Through the camera of a stage, as it saw the set: the source is a plate's picture.
struct BySight {
  evaluate::SceneStatePtr stage;
  double scale = 1;           ///< its pixels for one of the shot's
  Vec2 fromM = Vec2::Zero();  ///< taken from elsewhere on the surface: metres to the right and up
};
/// As a picture wrapped on a surface's face (see set::uvOf): all over it, or in its middle as large as it fits, with
/// its own aspect.
struct ByFace {
  int width = 0, height = 0;
  bool keepsAspect = false;
};
/// As straight pixels of this moment's camera: what was rendered through it.
struct ByStraightPixel {
  Mat3 toSource = Mat3::Identity();         ///< straight pixel to the source's
  std::function<Box(const Box&)> reach;     ///< the part of a box of the plate's pixels that the source's can reach
  std::function<image::Passes()> passes{};  ///< what was rendered beside its colour, read when it is asked for
  /// Straight pixel to the source's on another frame.
  std::function<Mat3(const evaluate::SceneState&)> toSourceOn{};
};
using Address = std::variant<BySight, ByFace, ByStraightPixel>;

/// A source, made for a moment.
struct SourceResult {
  std::shared_ptr<const image::Picture> picture;  ///< premultiplied; null, without `read`: it shows nothing here
  Address address;
  std::function<void(image::Picture&)> after;  ///< what is still done to the resampled layer; may be empty
  std::optional<element::Merge> merge;         ///< when it can be laid in one way alone
  /// How a matte (null: everywhere) and a strength let it through, when not by multiplying; may be empty.
  std::function<void(image::Picture&, const image::Picture*, float)> through{};
  /// What is put together from several pictures: reads them itself, as map::resample reads one (making, region,
  /// covered, wanted).
  std::function<image::Picture(const SourceContext&, const Box&, image::Picture*, const image::Picture*)> read{};

  /// How much of the variance of the plate's grain is still in it: all over, or pixel by pixel (one channel over its
  /// picture).
  double grainLeft = 0;
  std::shared_ptr<const image::Picture> grainPerPixel{};

  /// True where beyond its pixels there is nothing; false where it is not known what is there.
  bool ends = true;

  bool shows() const { return picture || read; }
};

/// How a kind of source is made; each kind's own file (held_frame.cpp, render.cpp...) defines it.
template <typename Kind>
struct SourceMaker {
  static SourceResult make(const Kind& source, const SourceContext& making);
};
/// What counts between two frames that see the same place: all of it; what the other's camera sees, as the frame's own
/// does; the same, whatever stands before it on this frame.
enum class Sees { All, Seen, Face };

/// How a kind of place is seen; each kind's own file (on_surface.cpp, ...) defines it.
template <typename Kind>
struct PlaceMaker {
  /// The part of the frame that it can touch.
  static Box reach(const Kind& place, const SourceContext& making, const SourceResult& made);
  /// The map from this moment's plate pixels to the source's pixels. Throws Error where a source cannot land so.
  static map::MapPtr map(const Kind& place, const SourceContext& making, const SourceResult& made);
  /// The map from plate pixels of a stage to those of another, by way of what carries the place. Throws Error where
  /// nothing does.
  static map::MapPtr ride(const Kind& place, const evaluate::SceneState& here, const evaluate::SceneState& other,
                          Sees sees, RenderCache& cache);
  /// The stage as what lies elsewhere on what carries the place would be seen in its stead. Throws Error where that has
  /// no elsewhere.
  static evaluate::SceneStatePtr elsewhere(const Kind& place, const evaluate::SceneStatePtr& stage, const Vec2& byM);
};

/// The same for a place of any kind.
map::MapPtr followMap(const element::Place& place, const evaluate::SceneState& here, const evaluate::SceneState& other,
                      Sees sees, RenderCache& cache);
evaluate::SceneStatePtr elsewhereOn(const element::Place& place, const evaluate::SceneStatePtr& stage, const Vec2& byM);
/// For kinds of places that have no elsewhere.
[[noreturn]] void noElsewhere();
/// For kinds of places that nothing carries.
[[noreturn]] void nothingCarries();

/// An element's source at a moment.
SourceResult makeSource(const SourceContext& making);

/// One element's premultiplied layer at a moment, on the part of the frame it can reach; empty where it shows nothing.
/// Throws Error naming what cannot be made.
image::Picture buildLayer(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache,
                          map::Filter filter);

/// An element's source as it would stand on its cover and around it, matched as its look says: `seen` is 1 where it has
/// pixels. Empty where it shows nothing.
struct Around {
  image::Picture source, seen, cover;
  double grainLeft = 0;  ///< as Made has it
};
Around lookAround(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache, int margin);

/// The part of the frame an element can touch.
Box reachOf(const evaluate::FrameState& state, const evaluate::Layer& layer, RenderCache& cache);

struct BuildOptions {
  map::Filter filter = map::Filter::Sharp;
  bool elements = true;   ///< false: the plate alone
  Box region = {};        ///< the part of the frame that is built; empty: all of it
  double softEdgePx = 0;  ///< over so many of its pixels the plate fades out within its edge
  std::string only;       ///< id of the one element to build; empty: all
  /// Called before each element is laid, with what there is until then and how many are laid.
  std::function<void(const image::Picture& soFar, size_t laid)> progress{};
  /// Where it is given, an element that cannot be made is left out, and what is wrong with it is added here.
  std::vector<std::string>* failed = nullptr;
};

/// The finished picture of a moment: the plate with the elements laid on it in order. As shot, where no element covers
/// anything, the plate's own pixels are returned unchanged; seen from another view plate and elements come from their
/// files in one resampling each. Throws Error naming the file and frame, or the element, that cannot
/// be built.
image::Picture buildFrame(const evaluate::FrameState& state, RenderCache& cache, const BuildOptions& options = {});

/// How much of the variance of the plate's grain is in each pixel of a moment's picture (one channel over the frame):
/// 1 where that is the plate's own.
image::Picture grainIn(const evaluate::FrameState& state, RenderCache& cache);

/// The elements' own alpha, without a plate: colour and alpha of what was added.
image::Picture buildAdded(const evaluate::FrameState& state, RenderCache& cache, map::Filter filter,
                          std::vector<std::string>* failed = nullptr);

}  // namespace zentil::comp
