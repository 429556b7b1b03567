#include "core/set/moving_surface.h"

namespace zentil::set {

MovingSurface::MovingSurface() = default;
MovingSurface::MovingSurface(const MovingSurface&) = default;
MovingSurface::MovingSurface(MovingSurface&&) noexcept = default;
MovingSurface& MovingSurface::operator=(const MovingSurface&) = default;
MovingSurface& MovingSurface::operator=(MovingSurface&&) noexcept = default;
MovingSurface::~MovingSurface() = default;

MovingSurface::MovingSurface(const Surface& still)
    : id(still.id),
      name(still.name),
      kind(still.kind),
      position(still.position),
      turn(still.turn),
      size(still.size),
      occludes(still.occludes),
      meshFile(still.meshFile),
      mesh(still.mesh) {}

Surface MovingSurface::at(int frame) const {
  Surface s;
  s.id = id, s.name = name, s.kind = kind, s.occludes = occludes, s.meshFile = meshFile, s.mesh = mesh;
  s.position = position.at(frame), s.turn = turn.at(frame), s.size = size.at(frame);
  return s;
}

bool MovingSurface::operator==(const MovingSurface& o) const {
  return id == o.id && name == o.name && kind == o.kind && position == o.position && turn == o.turn && size == o.size &&
         occludes == o.occludes && meshFile == o.meshFile && unknown == o.unknown;
}

}  // namespace zentil::set
