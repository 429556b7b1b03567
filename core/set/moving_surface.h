#pragma once
#include "core/set/surface.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::set {

/// A surface of the set as the document has it: it stands still, or its place, turn and size have keys.
struct MovingSurface {
  std::string id, name;
  SurfaceKind kind{};
  value::Value<Vec3> position = Vec3(Vec3::Zero());
  value::Value<Mat3> turn = Mat3(Mat3::Identity());
  value::Value<Vec3> size = Vec3(2, 2, 2);
  bool occludes = true;  ///< hides what lies behind it, both from the shot's camera and from a held one
  std::string meshFile;  ///< of a mesh
  std::shared_ptr<const Mesh> mesh;
  value::Unknown unknown;

  MovingSurface();
  MovingSurface(const Surface& still);  // NOLINT: what stands still is a surface too
  MovingSurface(const MovingSurface&);
  MovingSurface(MovingSurface&&) noexcept;
  MovingSurface& operator=(const MovingSurface&);
  MovingSurface& operator=(MovingSurface&&) noexcept;
  ~MovingSurface();

  bool moves() const { return position.keyed() || turn.keyed() || size.keyed(); }
  /// As it stands at a frame.
  Surface at(int frame) const;
  /// Equal when it would look the same on every frame; a mesh is compared by its file's name.
  bool operator==(const MovingSurface& o) const;
};

template <typename See>
void describe(const MovingSurface*, See&& see) {
  using value::label;
  constexpr double kFar = 1e5;
  see("id", &MovingSurface::id, label("id"));
  see("name", &MovingSurface::name, label("name").nonRendering());
  see("kind", &MovingSurface::kind, label("kind"));
  see("position", &MovingSurface::position, label("place").within(-kFar, kFar).in("m", 3).by(0.01));
  see("turn", &MovingSurface::turn, label("turn").within(-360, 360).in("\u00b0", 1).by(0.5));
  see("size", &MovingSurface::size, label("size").within(1e-4, kFar).in("m", 2).by(0.05));
  see("occludes", &MovingSurface::occludes, label("occluding"));
  see("mesh", &MovingSurface::meshFile, label("mesh").file());
}

}  // namespace zentil::set
