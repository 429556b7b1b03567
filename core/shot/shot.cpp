#include "core/shot/shot.h"

#include <Eigen/Geometry>
#include <cmath>
#include <map>

#include "core/base/error.h"

namespace zentil::shot {
namespace {
template <typename List>
auto findById(const List& list, const std::string& id) -> const typename List::value_type* {
  for (const auto& x : list)
    if (x.id == id) return &x;
  return nullptr;
}
}  // namespace

bool PastSolve::operator==(const PastSolve& o) const {
  return words == o.words && throughMaps == o.throughMaps && pixelAspect == o.pixelAspect && lens == o.lens &&
         (camera == o.camera || *camera == *o.camera) && (points == o.points || *points == *o.points) &&
         (solved == o.solved || *solved == *o.solved);
}

bool Shot::operator==(const Shot& o) const {
  // Setting by setting, as they are described; what is shared is compared by what it holds.
  bool same = unknown == o.unknown;
  describe(static_cast<const Shot*>(nullptr), [&](const char*, auto member, const value::About&) {
    if (!same) return;
    const auto &a = this->*member, &b = o.*member;
    if constexpr (requires { a.get(); })
      same = a == b || (a && b && *a == *b);
    else
      same = a == b;
  });
  return same;
}

const set::MovingSurface* Shot::surface(const std::string& id) const { return findById(surfaces, id); }
const set::Spot* Shot::spot(const std::string& id) const { return findById(spots, id); }
const matte::Matte* Shot::matte(const std::string& id) const { return findById(mattes, id); }
const element::Element* Shot::element(const std::string& id) const { return findById(elements, id); }
const PlateUse* Shot::plateUse(const std::string& id) const { return findById(plates, id); }

const PlateUse& Shot::worked() const {
  static const PlateUse none;
  if (const auto* p = plateUse(workingPlate)) return *p;
  return plates.empty() ? none : plates.front();
}

const PlateUse& Shot::tracked() const {
  const auto* p = plateUse(trackedPlate);
  return p ? *p : worked();
}

void Shot::setPlate(const image::Plate& files) {
  if (plates.empty()) {
    PlateUse p;
    p.id = "f1", p.name = "plate", p.files = files;
    plates.push_back(p);
    width = files.width, height = files.height;
    range = files.range;
    return;
  }
  for (auto& p : plates)
    if (p.id == worked().id) {
      p.files = files;
      return;
    }
}

std::vector<set::Surface> Shot::surfacesAt(int frame) const {
  std::vector<set::Surface> out;
  out.reserve(surfaces.size());
  for (const auto& s : surfaces) out.push_back(s.at(frame));
  return out;
}

lens::LensOnPixels Shot::lensAt(int frame) const {
  const auto c = camera->bodyAt(frame, width, height);
  return {lens.at(frame), c.fx, c.fy, c.cx, c.cy};
}

view::ViewPtr Shot::viewAt(int frame) const {
  const auto c = hasCamera(frame) ? cameraAt(frame) : camera->bodyAt(frame, width, height);
  if (projection == Projection::Sphere) return std::make_shared<view::Sphere>(width, height, c.rotation, c.position);
  if (camera->readout != 0 && hasCamera(frame))
    return std::make_shared<view::Rolling>(c, lensAt(frame), camera::rollOf(*camera, frame), camera->readout, height);
  return std::make_shared<view::Perspective>(c, lensAt(frame));
}

std::optional<size_t> solveInUse(const Shot& shot) {
  for (size_t i = 0; i < shot.pastSolves.size(); ++i)
    if (shot.solved && (shot.pastSolves[i].solved == shot.solved || *shot.pastSolves[i].solved == *shot.solved))
      return i;
  return std::nullopt;
}

std::optional<double> likelyBackHeight(const Shot& s) {
  if (s.projection == Projection::Sphere || s.lens.squeeze != 1 || s.height < 1) return std::nullopt;
  const double likely = s.camera->backWidthMm / s.aspect();
  constexpr double kOff = 0.01;
  if (std::abs(s.camera->backHeightMm / likely - 1) <= kOff) return std::nullopt;
  return likely;
}

std::string freshId(const Shot& shot, char letter) {
  for (int n = 1;; ++n) {
    std::string id = letter + std::to_string(n);
    const bool line = std::any_of(shot.lines.begin(), shot.lines.end(), [&](const auto& l) { return l.id == id; });
    if (!line && !shot.surface(id) && !shot.spot(id) && !shot.matte(id) && !shot.element(id) && !shot.plateUse(id))
      return id;
  }
}

bool isStill(const Shot& s) {
  const auto& files = s.plate();
  return s.hasPlate() && !files.movie &&
         (files.pattern.find('#') == std::string::npos || (files.range.count() == 1 && files.missing.empty()));
}

std::string sphereQuestion(const Shot& shot) {
  if (shot.projection == Projection::Sphere || shot.width != 2 * shot.height) return {};
  return "The plate is 2:1 and its files do not say what it shows. It is used as a camera's picture.";
}

std::string fieldsQuestion(const Shot& shot) {
  if (shot.plate().fieldsSaid == image::Fields::Whole || shot.plate().fields != image::Fields::Whole) return {};
  return "The plate is interlaced: each frame is two fields, taken one after the other. What moves is seen twice.";
}

bool usesMove(const Shot& s) { return s.move.of && s.camera->source == "the move of " + s.move.name; }

Shot::Shot() = default;
Shot::Shot(const Shot&) = default;
Shot::Shot(Shot&&) noexcept = default;
Shot& Shot::operator=(const Shot&) = default;
Shot& Shot::operator=(Shot&&) noexcept = default;
Shot::~Shot() = default;

}  // namespace zentil::shot
