#pragma once
#include "core/comp/workshop.h"
#include "core/map/map.h"

namespace zentil::comp {

/// The map from plate pixels of one stage to plate pixels of another, by way of a surface; `needsSight`: only what the
/// other's camera sees. Throws Error when the surface or a camera is not there.
map::MapPtr plateToPlate(const moment::Stage& here, const std::string& surfaceId, const moment::Stage& other,
                         bool needsSight, Workshop& workshop);

/// The same where nothing stands before the surface here; the other's camera sees only what it sees.
map::MapPtr faceToPlate(const moment::Stage& here, const std::string& surfaceId, const moment::Stage& other,
                        Workshop& workshop);

/// A stage on which a surface stands so that what lay elsewhere on it, metres to the right and up along it, lies where
/// its places were. Throws Error for what cannot be slid along itself.
moment::StagePtr slid(const moment::StagePtr& stage, const std::string& surfaceId, const Vec2& byM);

/// The same for things that ride a surface: it goes on behind what hides the surface and, on a plane, beyond its edge,
/// so that a drawn shape never breaks. Null when a camera or the surface is not there.
map::MapPtr carrying(const moment::Stage& from, const std::string& surfaceId, const moment::Stage& to,
                     Workshop& workshop);

/// For what a part of a matte rides: from the moment's pixels to those it is drawn in, or (`back`) the other way. Null
/// for what stays where it is. Throws Error when what it rides is missing.
map::MapPtr ridingMap(const moment::MattePart& part, const moment::Stage& here, bool back, Workshop& workshop);

/// Box on the plate of a stage around world lines; the whole frame when some of it is behind the camera.
Box boxAround(const moment::Stage& stage, const std::vector<std::pair<Vec3, Vec3>>& lines);

/// Whole pixels around two corners, with some slack, inside a frame.
Box clipTo(const Box& frame, const Vec2& lo, const Vec2& hi, double slack);

/// Throws Error, as camera::CameraPath::at does, when a stage has no camera.
void requireCamera(const moment::Stage& stage);

}  // namespace zentil::comp
