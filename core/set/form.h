#pragma once
#include <optional>

#include "core/set/round_fit.h"
#include "core/set/surface.h"

namespace zentil::set {

/// What is particular to one kind of surface. Each kind has a file of its own name (plane.cpp, box.cpp, ...); nobody
/// else asks which kind a surface is of.
class Form {
 public:
  virtual ~Form() = default;

  /// How many of a size's numbers it goes by, from the first.
  virtual int sizes() const = 0;
  /// It lies in its own XY, within size.x by size.y: met without triangles, and hiding nothing of itself. Its size is
  /// only how far it reaches; of every other kind it is how large it is.
  virtual bool isFlat() const { return false; }
  /// Made of flat sides: what it hides ends at its outline.
  virtual bool isFlatSided() const { return false; }
  /// It may stand in its own way in places that no outline tells of.
  virtual bool isIntricate() const { return false; }
  /// It is made from a size alone: no file, no points.
  virtual bool isBody() const { return true; }

  virtual Mesh triangles(const Surface& s) const = 0;
  /// Which side a triangle of those belongs to.
  virtual int sideOf(unsigned) const { return 0; }
  virtual Lines outline(const Surface& s) const = 0;
  /// Lines between which the surface lies.
  virtual Lines hull(const Surface& s) const { return outline(s); }
  /// Where one of its points, in its own coordinates, lies in its own picture (see uvOf).
  virtual Vec2 uv(const Surface& s, const Vec3& own) const = 0;
  virtual Vec2 face(const Surface& s) const { return s.size.head<2>(); }
  /// How far it reaches from its position along its own axes.
  virtual Vec3 reach(const Surface& s) const { return s.size / 2; }
  /// How large it is along its own axes.
  virtual Vec3 extent(const Surface& s) const { return 2 * reach(s); }
  /// Where it would stand so that each of its points lies where another one did, so far to the right and up along it;
  /// nothing for what cannot be slid along itself.
  virtual std::optional<Surface> slid(const Surface&, const Vec2&) const { return std::nullopt; }
  /// The one that points lie on; nothing for what is not fitted. Throws Error for points that tell none.
  virtual bool isRound() const { return false; }
  virtual std::optional<BodyFit> through(const std::vector<Vec3>&) const { return std::nullopt; }
  /// What it lacks to be met at all, for a person; empty: nothing.
  virtual std::string lacks(const Surface&) const { return {}; }
};

const Form& formOf(SurfaceKind kind);

/// The forms, each in its own file; formOf lists them.
const Form& plane();
const Form& box();
const Form& cylinder();
const Form& sphere();
const Form& mesh();

/// The twelve edges of a box between two corners in a surface's own coordinates, in the world.
Lines edgesOfBox(const Surface& s, const Vec3& lo, const Vec3& hi);
/// Two triangles.
void addQuad(Mesh& m, const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);

/// What is round: a place for each (u, v) of its own picture.
class Round : public Form {
 public:
  bool isRound() const override { return true; }
  Vec2 uv(const Surface& s, const Vec3& own) const override = 0;

 protected:
  virtual Vec3 at(const Surface& s, double u, double v) const = 0;
  /// A grid of quads over (u, v).
  Mesh grid(const Surface& s, int columns, int rows) const;
  /// How far round a point is, 0 to 1.
  static double around(const Vec3& own);
  /// Adds n lines along a curve over 0 to 1.
  template <typename At>
  static void curve(Lines& out, int n, const At& at) {
    for (int i = 0; i < n; ++i) out.emplace_back(at(static_cast<double>(i) / n), at(static_cast<double>(i + 1) / n));
  }
};

}  // namespace zentil::set
