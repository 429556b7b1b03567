#pragma once
#include "core/comp/render_cache.h"
#include "core/map/map.h"

namespace zentil::comp {

/// The map from plate pixels of one stage to plate pixels of another, by way of a surface; `needsSight`: only what the
/// other's camera sees. Throws Error when the surface or a camera is not there.
map::MapPtr plateToPlate(const evaluate::SceneState& here, const std::string& surfaceId,
                         const evaluate::SceneState& other, bool needsSight, RenderCache& cache);

/// The same where nothing stands before the surface here; the other's camera sees only what it sees.
map::MapPtr faceToPlate(const evaluate::SceneState& here, const std::string& surfaceId,
                        const evaluate::SceneState& other, RenderCache& cache);

/// A stage on which a surface stands so that what lay elsewhere on it, metres to the right and up along it, lies where
/// its places were. Throws Error for what cannot be slid along itself.
evaluate::SceneStatePtr slid(const evaluate::SceneStatePtr& stage, const std::string& surfaceId, const Vec2& byM);

/// The same for things that ride a surface: it goes on behind what hides the surface and, on a plane, beyond its edge,
/// so that a drawn shape never breaks. Null when a camera or the surface is not there.
map::MapPtr carrying(const evaluate::SceneState& from, const std::string& surfaceId, const evaluate::SceneState& to,
                     RenderCache& cache);

/// For what a part of a matte rides: from the moment's pixels to those it is drawn in, or (`back`) the other way. Null
/// for what stays where it is. Throws Error when what it rides is missing.
map::MapPtr ridingMap(const evaluate::MattePart& part, const evaluate::SceneState& here, bool back, RenderCache& cache);

/// Box on the plate of a stage around world lines; the whole frame when some of it is behind the camera.
Box boxAround(const evaluate::SceneState& stage, const std::vector<std::pair<Vec3, Vec3>>& lines);

/// Whole pixels around two corners, with some slack, inside a frame.
Box clipTo(const Box& frame, const Vec2& lo, const Vec2& hi, double slack);

/// Throws Error, as camera::CameraPath::at does, when a stage has no camera.
void requireCamera(const evaluate::SceneState& stage);

}  // namespace zentil::comp
