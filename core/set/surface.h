#pragma once
#include <Eigen/Geometry>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::set {

enum class SurfaceKind { Plane, Box, Cylinder, Sphere, Mesh };

inline std::span<const char* const> namesOf(SurfaceKind) {
  static constexpr const char* kNames[] = {"plane", "box", "cylinder", "sphere", "mesh"};
  return kNames;
}

/// Pairs of end points.
using Lines = std::vector<std::pair<Vec3, Vec3>>;

/// Triangles; three indices each.
struct Mesh {
  std::vector<Vec3> points;
  std::vector<Eigen::Vector3i> triangles;
  // What bound() finds: the box around the points, and the edges worth drawing, as pairs of points; none where there
  // are too many to be seen.
  Vec3 lo = Vec3::Zero(), hi = Vec3::Zero();
  std::vector<std::pair<int, int>> creases;
  void bound();
  bool operator==(const Mesh&) const = default;
};

/// What pictures land on. It stands at `position`, turned by `turn` (columns: its own X, Y and Z in the world).
///   plane     in its own XY, facing +Z, size.x by size.y about its position
///   box       size.x by size.y by size.z about its position
///   cylinder  about its own Y, radius size.x / 2, height size.y about its position, open at the ends
///   sphere    radius size.x / 2
///   mesh      triangles from a file, scaled by size
struct Surface {
  std::string id, name;
  SurfaceKind kind{};
  Vec3 position = Vec3::Zero();
  Mat3 turn = Mat3::Identity();
  Vec3 size = Vec3(2, 2, 2);
  bool occludes = true;  ///< hides what lies behind it, both from the shot's camera and from a held one
  std::string meshFile;
  std::shared_ptr<const Mesh> mesh;

  Vec3 normal() const { return turn.col(2); }
  /// From its own coordinates to the world's, and back.
  Vec3 toWorld(const Vec3& own) const { return position + turn * own; }
  Vec3 toOwn(const Vec3& world) const { return turn.transpose() * (world - position); }
  /// Equal when it would look the same; a mesh is compared by its file's name.
  bool operator==(const Surface& o) const;
};

/// The surface as triangles in the world. A plane gives two, a sphere about 4,000.
Mesh triangulate(const Surface& surface);

/// Lines worth drawing, in the world: a plane's border, a box's edges, the edges at which a mesh bends.
Lines outlineOf(const Surface& surface);
/// Lines, in the world, within which the surface lies.
Lines hullOf(const Surface& surface);

/// Where a point of the surface lies in its own picture: (0,0) top-left to (1,1) bottom-right. A plane and each side of
/// a box: its face as seen from outside; cylinder and sphere: once around, top to bottom; mesh: seen along its own Z.
Vec2 uvOf(const Surface& surface, const Vec3& world);

/// How large that picture is, metres: a plane's sides, once around and up a cylinder or sphere, a mesh's box.
Vec2 faceSize(const Surface& surface);

/// The plane that fits points best, and how well: residuals are distances to it, in metres.
struct PlaneFit {
  Vec3 centre = Vec3::Zero(), normal = Vec3::UnitZ();
  double rms = 0, worst = 0;
  size_t worstIndex = 0;
  Vec2 extent = Vec2::Zero();  ///< size of the points' box in the plane, along the axes of turnFor(normal)
};

/// Least squares by the covariance's eigenvectors (Pearson 1901, On Lines and Planes of Closest Fit). Throws Error for
/// fewer than three points and for points in a line.
PlaneFit fitPlane(const std::vector<Vec3>& points);

/// A plane that lies as a fit says, facing a viewer.
Surface facing(const PlaneFit& fit, const Vec3& viewer);

/// Axes for a plane with this normal: Z is the normal; Y as near to the world's up as can be (for a floor: towards the
/// world's -Z).
Mat3 turnFor(const Vec3& normal);
/// The normal of a plane that faces whoever looks along `direction`: upright, unless that leads steeply up or down.
Vec3 uprightTowards(const Vec3& direction);

}  // namespace zentil::set
