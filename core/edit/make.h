#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/comp/render_cache.h"
#include "core/lens/board.h"
#include "core/set/round_fit.h"
#include "core/set/surface.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// Adds a surface, named after its kind unless it has a name; its id.
std::string addSurface(shot::Shot& shot, set::Surface surface);
/// A mesh from a file, as a surface. Throws Error as set::readMesh does.
std::string addMesh(shot::Shot& shot, const std::string& file);
/// One that is made from a size alone: around the points chosen (indices), else before the frame's camera.
std::string addBody(shot::Shot& shot, set::SurfaceKind kind, const std::vector<int>& points, int frame);
/// The body of a kind that is round, through points of the set (indices), with the fit's residuals. Throws Error for a
/// kind that is not fitted, and as set::fitCylinder does.
set::BodyFit bodyThrough(const shot::Shot& shot, set::SurfaceKind kind, const std::vector<int>& points);
/// Moves, turns and sizes the surface with this id, at a frame: where it has keys, by a key.
void putSurface(shot::Shot& shot, const set::Surface& now, int frame);
/// Takes a surface out of the set. Throws Error while an element lands on it.
void removeSurface(shot::Shot& shot, const std::string& id);

/// The plane through points of the set (by index), facing a viewer, large enough to hold them, with the fit's
/// residuals. Of five points and more, those that stand off are left out, up to almost half of them (least median of
/// squares, Rousseeuw 1984). Throws Error for fewer than three, or points in a line.
struct PlaneThrough {
  set::Surface surface;
  set::PlaneFit fit;
  int leftOut = 0;  ///< points that do not lie where the others do
};
PlaneThrough planeThrough(const shot::Shot& shot, const std::vector<int>& points, const Vec3& viewer);
/// How well it fits: "0.7 mm (RMS), 2.6 mm at the worst; 3 left out".
std::string wordsOf(const PlaneThrough& plane);

/// The plane that a place on the picture lies on, by points near it that agree (RANSAC, Fischler and Bolles 1981): a
/// place's ray and, for each of the points, how far it is from the place on the picture. Nothing when no plane is
/// there.
std::optional<PlaneThrough> planeNear(const std::vector<set::Point>& points, const std::vector<double>& awayPx,
                                      const Vec3& eye, const Vec3& direction);

/// Points of the set that are seen inside an outline on a frame (plate pixels), by index.
std::vector<int> pointsInside(const shot::Shot& shot, int frame, const std::vector<Vec2>& outline);

/// Draws a shape, in plate pixels of a frame, into a part of a matte; what rides is carried to the frame that the part
/// is drawn on. Throws Error when the part is none of shapes, or cannot be reached from there.
void addShape(shot::Shot& shot, const std::string& matteId, const std::string& partId, const matte::ShapePoints& points,
              bool adds, int frame, const std::string& elementSurface, comp::RenderCache& cache);
/// Changes a shape's points at a frame; one that is left with fewer than three goes. Throws Error for what is gone.
void changeShape(shot::Shot& shot, const std::string& matteId, const std::string& partId, int shape, int frame,
                 const std::function<void(matte::ShapePoints&)>& change);
/// A part of shapes, none yet, added to a matte; its id.
std::string addShapes(shot::Shot& shot, const std::string& matteId, const std::string& name, int frame);
/// The matte that an element is seen inside, made when there is none: one part of shapes, drawn on a frame, riding the
/// element's surface (the screen, where it has none). Its id.
std::string matteFor(shot::Shot& shot, const std::string& elementId, int frame);
/// A matte of its own, with one part of shapes that rides a surface (by id) or, without one, the screen.
std::string addMatte(shot::Shot& shot, const std::string& name, int frame, const std::string& surface);
/// A part of shapes, or of pictures, added to a matte; its id.
std::string addPart(shot::Shot& shot, const std::string& matteId, matte::Content content, const std::string& name);
/// A key as a part of a matte, with limits to begin from; its id. `element`: what a difference is taken to.
std::string addKey(shot::Shot& shot, const std::string& matteId, matte::KeyBy by, const std::string& element = {});
/// Whether a part is a key; the first of a matte's parts that is one, or null.
bool isKey(const matte::Part& part);
const matte::Part* firstKey(const matte::Matte& matte);
/// Sets a key's limits, at a frame, by the plate's pixels in a box: they are to be covered, or (`covers` false) to be
/// left; for chroma those that are left are the backing. Throws Error for a part that is no key, or where nothing can
/// be picked.
void pickKey(shot::Shot& shot, const std::string& matteId, const std::string& partId, const Box& box, int frame,
             bool covers, comp::RenderCache& cache);
/// Takes a matte away, and what names it.
void removeMatte(shot::Shot& shot, const std::string& id);

/// A new element of a kind that is begun from files, laid where the kind lands; its id. `on`: the chosen element's and
/// surface's ids, either may be empty. Throws Error when the files cannot be read or do not fit.
struct ChosenThings {
  std::string element, surface;
};
std::string addFromFiles(shot::Shot& shot, const std::string& kind, const std::string& file, const ChosenThings& on,
                         int frame);
/// Other files for an element that is made of some.
void replaceFiles(shot::Shot& shot, const std::string& elementId, const std::string& file);
/// Pictures as a part of an element's matte, in the place of those it has; the matte is made when there is none.
void coverWithPictures(shot::Shot& shot, const std::string& elementId, const std::string& file, int frame);
/// A clean picture that stands for a patch's source frame. Throws Error when it does not fit.
void takeCleanPicture(shot::Shot& shot, const std::string& elementId, const std::string& file, int frame,
                      comp::RenderCache& cache);

/// A calibration by boards, put into the shot: its lens, restated for the focal length that the shot counts with, and
/// what it says of the body. Throws Error when the boards have another aspect than the plate.
void takeBoards(shot::Shot& shot, const lens::BoardAnswer& answer);

}  // namespace zentil::edit
