#pragma once
#include <map>
#include <optional>
#include <vector>

#include "core/solve/bundle.h"
#include "core/track/tracks.h"

namespace zentil::solve {

/// The error of a place that lands nowhere, px: larger than any that lands.
constexpr double kAwayPx = 1e3;
/// The median of errors that spread evenly round about, in standard deviations along one axis (Rayleigh's distribution:
/// the root of 2 ln 2).
constexpr double kMedianOfErrors = 1.18;

/// How far a track lies from where a place puts it, pixels.
struct Departure {
  double rmsPx = 0, meanPx = 0, worstPx = 0;
};

/// A world that grows frame by frame out of tracks: views where frames are placed, points where tracks are. Of a
/// turning camera all views share one place, and a point is only the direction in which it lies; before a plane, where
/// a view's ray meets that.
class Reconstruction {
 public:
  struct Style {
    bool turning = false, zooming = false;
  };
  /// `zooms`: for a zooming camera, what each frame's focal length is thought to be, over inner.f. `keyed`: a lens that
  /// changes through the shot, instead of inner's.
  Reconstruction(const track::Tracks& tracks, const FrameRange& range, const Intrinsics& inner, const Style& style,
                 const lens::Lens& keyed, std::vector<double> zooms = {});

  Intrinsics inner;
  const FrameRange range;
  bool turning() const { return style_.turning; }
  /// Across the plane that all points lie on, of length one; zero: there is none.
  const Vec3& normal() const { return normal_; }

  std::optional<View>& view(int frame) { return views_[static_cast<size_t>(frame - range.first)]; }
  const std::optional<View>& view(int frame) const { return views_[static_cast<size_t>(frame - range.first)]; }
  const std::optional<Vec3>& point(size_t track) const { return points_[track]; }
  /// A view that is nowhere yet, with the frame's own lens.
  View blank(int frame, double zoom) const;
  /// Whether a track says something about a frame: it is on, followed there, and not found wrong.
  bool sees(size_t track, int frame) const;
  int pointsSeen(int frame) const;
  int pointCount() const;
  /// Places of all points, on all views.
  int sights() const;

  /// Starts from two frames by what both see (of a turning camera the first is enough); how many points came of it.
  int start(int a, int b, double withinPx);
  /// Starts with views, by frame, before a plane that lies where normal . X = 1; how many points came of it.
  int startBefore(const Vec3& normal, const std::map<int, View>& views, double withinPx);
  /// Points for all tracks without one that enough views see, whose rays stand apart by so much and meet so well.
  int triangulate(double withinPx, double leastDegrees);
  /// A view from the points it sees; false when they do not say.
  bool addView(int frame, double withinPx);
  /// Everything that is known, refined together. The question's kind of camera is this one's.
  BundleReport bundle(BundleSettings question, const Job& job);
  /// How views go on while their rows are read, as they stand now.
  void goOn();
  /// Distance of a track's point from where it was seen; none when it does not land.
  std::optional<double> errorAt(size_t track, int frame) const;
  /// How far a track that was left out departs from the place that suits it best, over all its frames; none where no
  /// place can be told.
  std::optional<Departure> departure(size_t track) const;
  /// RMS over all places of all points.
  double rms() const;
  /// Leaves out single places that stand far off, and whole tracks that do on the whole; returns how many.
  int dropOutliers(double times, double floorPx);
  /// Tracks that fit well count for more from now on, as the inverse of their own variance and a part of everybody's.
  void weigh();
  /// Of the tracks that found themselves, every so manieth alone says something until letBackIn(): those that follow
  /// each other are found in one part of the frame.
  void thin(int every);
  /// Tracks that were left out as a whole may be placed again.
  void letBackIn() { out_.assign(out_.size(), false); }

  /// Everything that another world of the same tracks knows.
  void takeFrom(const Reconstruction& other);

  /// All views and points in the bundle's form.
  struct Packed {
    std::vector<View> views;
    std::vector<int> frames;  ///< of each view
    std::vector<Vec3> points;
    std::vector<size_t> tracks;  ///< of each point
    std::vector<Observation> sights;
  };
  Packed pack() const;
  /// How those views go on.
  void goOn(Packed& packed) const;

 private:
  int startMoving(int a, int b, double withinPx);
  using Sightings = std::vector<std::pair<const View*, Vec2>>;
  /// Where a track is seen by views that are known, as they stand when they see it; `all`: also where it was found
  /// wrong. `read` keeps those that go on.
  Sightings sightings(size_t track, bool all, std::vector<View>& read) const;
  /// Straight coordinates of a place on the plate, as a view that goes on would see it in the middle of its reading, if
  /// it only turned.
  Vec2 atOnce(const View& view, const Vec2& plate) const;
  std::optional<Vec3> meet(const Sightings& seen, double withinPx, double leastDegrees) const;
  bool meets(const Sightings& seen, const Vec3& x, double withinPx) const;
  std::optional<Vec3> direction(const Sightings& seen, double withinPx) const;
  std::optional<Vec3> onPlane(const Sightings& seen, double withinPx) const;
  /// Where a track lies, as the kind of camera has it.
  std::optional<Vec3> located(const Sightings& seen, double withinPx, double leastDegrees) const;
  const View* nearest(int frame) const;
  double zoomThere(int frame) const;

  const track::Tracks& tracks_;
  Style style_;
  Vec3 normal_ = Vec3::Zero();
  double away_ = 1;  ///< of the plane: normal . X
  std::vector<double> zooms_;
  std::vector<std::shared_ptr<const lens::Lens>> lenses_;  ///< of each frame, where the lens changes
  std::vector<bool> out_;
  std::vector<std::vector<char>> bad_;
  std::vector<double> weights_;  ///< of tracks, beside their own
  std::vector<std::optional<View>> views_;
  std::vector<std::optional<Vec3>> points_;
};

}  // namespace zentil::solve
