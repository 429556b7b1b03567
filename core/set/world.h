#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/set/points.h"
#include "core/value/setting.h"

namespace zentil::set {

/// Something said about how the set stands in the world; kept, and applied again after every solve.
struct WorldConstraint {
  enum class Kind {
    Ground,    ///< these points lie on the floor: y = 0, the cameras above it
    Wall,      ///< these points lie on an upright wall: it faces along z
    Origin,    ///< this point is where the world begins; with a ground, the place below or above it on the floor
    Axis,      ///< from the first point to the second the world runs along x
    Scale,     ///< these two points are so far apart
    Vertical,  ///< lines that are drawn along what stands plumb say which way is up; it names no points
  };
  Kind kind = Kind::Ground;
  std::vector<int> points;  ///< by idOf()
  double lengthM = 1;       ///< gauge
  bool operator==(const WorldConstraint&) const = default;
};

inline std::span<const char* const> namesOf(WorldConstraint::Kind) {
  static constexpr const char* kNames[] = {"ground", "wall", "origin", "axis", "scale", "vertical"};
  return kNames;
}
template <typename See>
void describe(const WorldConstraint*, See&& see) {
  using value::label;
  see("kind", &WorldConstraint::kind, label("constraint").nonRendering());
  see("points", &WorldConstraint::points, label("points").nonRendering());
  see("lengthM", &WorldConstraint::lengthM, label("length").within(1e-6, 1e6).in("m", 3).nonRendering());
}

/// What a point is known by from solve to solve: its track's id; without one, its place in the list.
int idOf(const std::vector<Point>& points, size_t index);

/// A similarity: new = size * turn * old + shift.
struct Placement {
  double size = 1;
  Mat3 turn = Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  Vec3 operator()(const Vec3& x) const { return size * (turn * x) + shift; }
};

struct PlacementAnswer {
  Placement placement;
  double groundRms = 0, wallRms = 0;    ///< of the points that were believed, in the new world's metres
  double plumbRms = 0, plumbSigma = 0;  ///< degrees: by how much lines are off plumb, and how well up is known
  std::vector<std::string> remarks;     ///< points that do not lie where the others do, statements that disagree
};

/// Where a set has to be moved for the statements to hold, in whatever order they were made: what stands plumb, else
/// the floor, turns it level, then wall or axis turn it about the upright, gauges size it, the origin shifts it. Planes
/// are fitted without the points that stand off by more than three times what is typical (and those are named). What
/// cannot be used, because its points are gone or two statements disagree, is said in remarks. `above`: a place that is
/// known to be over the floor. `up`: which way is up by lines, where they say it.
PlacementAnswer place(const std::vector<WorldConstraint>& constraints, const std::vector<Point>& points,
                      const Vec3& above, const std::optional<Vec3>& up = {});

}  // namespace zentil::set
