#pragma once
#include <filesystem>
#include <vector>

#include "core/set/surface.h"

namespace zentil::set {

/// A solved point of the set. Errors are unknown (negative) for points that came without them.
struct Point {
  Vec3 at = Vec3::Zero();
  double errorPx = -1;
  int frames = 0;  ///< how many frames saw it; 0 unknown
  int id = -1;     ///< of the track it was solved from; -1: it came from a file
  bool operator==(const Point&) const = default;
};

/// Points from PLY, glTF or OBJ: every vertex, in the world of the file's root. Throws Error naming the file for one
/// that cannot be read or holds no points, or holds values that are not numbers.
std::vector<Point> readPoints(const std::filesystem::path& file);

/// Triangles from OBJ, PLY or glTF. Throws Error naming the file.
std::shared_ptr<const Mesh> readMesh(const std::filesystem::path& file);

/// The same, read again only when the file has changed since (by its stamp) or nobody holds the mesh any more. Safe
/// from many threads.
std::shared_ptr<const Mesh> freshMesh(const std::filesystem::path& file);

/// A surface of a mesh, named after its file, as large as the file says.
Surface meshFrom(const std::filesystem::path& file);

}  // namespace zentil::set
