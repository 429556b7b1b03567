#include "core/set/world.h"

#include <Eigen/Geometry>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::set {

int idOf(const std::vector<Point>& points, size_t index) {
  return points[index].id >= 0 ? points[index].id : static_cast<int>(index);
}

namespace {

struct Robust {
  PlaneFit fit;
  std::vector<int> off;  ///< ids of points that were not believed
};

Robust fitWithoutOutliers(const std::vector<std::pair<int, Vec3>>& given) {
  Robust out;
  auto left = given;
  for (;;) {
    std::vector<Vec3> at;
    at.reserve(left.size());
    for (const auto& [id, p] : left) at.push_back(p);
    out.fit = fitPlane(at);
    std::vector<double> distance;
    distance.reserve(at.size());
    for (const Vec3& p : at) distance.push_back(std::abs((p - out.fit.centre).dot(out.fit.normal)));
    const double typical = kSigmasOfMedian * medianOf(distance) + 1e-12;
    const auto worst = std::max_element(distance.begin(), distance.end()) - distance.begin();
    if (left.size() <= 4 || !(distance[static_cast<size_t>(worst)] > 3 * typical)) return out;
    out.off.push_back(left[static_cast<size_t>(worst)].first);
    left.erase(left.begin() + worst);
  }
}

std::string listed(const std::vector<int>& ids) {
  std::string out;
  for (size_t i = 0; i < ids.size() && i < 6; ++i) out += (i ? ", " : "") + std::to_string(ids[i]);
  return ids.size() > 6 ? out + " and others" : out;
}

}  // namespace

PlacementAnswer place(const std::vector<WorldConstraint>& constraints, const std::vector<Point>& points,
                      const Vec3& above, const std::optional<Vec3>& plumb) {
  PlacementAnswer out;
  std::map<int, Vec3> byId;
  for (size_t i = 0; i < points.size(); ++i) byId[idOf(points, i)] = points[i].at;
  // A statement's points that are still there; enough of them?
  const auto there = [&](const WorldConstraint& s, size_t least) {
    std::vector<std::pair<int, Vec3>> list;
    for (const int id : s.points)
      if (const auto p = byId.find(id); p != byId.end()) list.emplace_back(id, p->second);
    if (list.size() < least) {
      out.remarks.push_back(fmt::format("the {} cannot be kept: {} of its {} points are in this solve", nameOf(s.kind),
                                        list.size(), s.points.size()));
      list.clear();
    }
    return list;
  };
  const auto first = [&](WorldConstraint::Kind kind) {
    const WorldConstraint* found = nullptr;
    for (const auto& s : constraints)
      if (s.kind == kind) found = &s;  // the latest of its kind counts
    return found;
  };
  Mat3& turn = out.placement.turn;
  const bool upright = plumb && first(WorldConstraint::Kind::Vertical);
  if (upright) turn = rotationFromTo(*plumb, Vec3::UnitY());
  bool level = false;
  double floorAt = 0;  // along the new upright, before size
  if (const auto* s = first(WorldConstraint::Kind::Ground)) {
    const auto list = there(*s, 3);
    if (!list.empty()) {
      const Robust r = fitWithoutOutliers(list);
      Vec3 up = r.fit.normal;
      if ((above - r.fit.centre).dot(up) < 0) up = -up;
      if (!upright) {
        turn = rotationFromTo(up, Vec3::UnitY());
      } else if (const double slope = std::acos(std::min(1.0, up.dot(*plumb))) * 180 / M_PI; slope > 0.5) {
        out.remarks.push_back(fmt::format("the ground slopes by {:.1f} degrees against the vertical lines", slope));
      }
      floorAt = (turn * r.fit.centre).y();
      out.groundRms = r.fit.rms;
      level = true;
      if (!r.off.empty())
        out.remarks.push_back(fmt::format("points {} are not on the ground with the others", listed(r.off)));
    }
  }
  // About the upright: an axis counts before a wall.
  const auto turnAbout = [&](const Vec3& direction, const Vec3& wanted) {
    const Vec3 flat(direction.x(), 0, direction.z());
    if (flat.norm() < 0.05 * direction.norm()) return false;
    const double a = std::atan2(flat.x(), flat.z()), b = std::atan2(wanted.x(), wanted.z());
    turn = Eigen::AngleAxisd(b - a, Vec3::UnitY()).toRotationMatrix() * turn;
    return true;
  };
  bool axis = false;
  if (const auto* s = first(WorldConstraint::Kind::Axis)) {
    const auto list = there(*s, 2);
    if (!list.empty()) {
      axis = turnAbout(turn * (list[1].second - list[0].second), Vec3::UnitX());
      if (!axis) out.remarks.push_back("the axis is vertical: it does not give the x direction");
    }
  }
  if (const auto* s = first(WorldConstraint::Kind::Wall)) {
    const auto list = there(*s, 3);
    if (!list.empty()) {
      const Robust r = fitWithoutOutliers(list);
      Vec3 n = turn * r.fit.normal;
      if ((above - r.fit.centre).dot(r.fit.normal) < 0) n = -n;
      out.wallRms = r.fit.rms;
      const double lean = std::abs(std::asin(std::clamp(n.y(), -1.0, 1.0))) * 180 / M_PI;
      if ((level || upright) && lean > 0.5)
        out.remarks.push_back(fmt::format("the wall leans by {:.1f} degrees against {}", lean,
                                          upright ? "the vertical lines" : "the ground"));
      if (!r.off.empty())
        out.remarks.push_back(fmt::format("points {} are not on the wall with the others", listed(r.off)));
      if (axis) {
        // Walls may face along z or along x.
        const double a = std::atan2(n.x(), n.z()) * 180 / M_PI, apart = std::abs(a - 90 * std::round(a / 90));
        if (apart > 0.5)
          out.remarks.push_back(fmt::format("axis and wall disagree by {:.1f} degrees; the axis is kept", apart));
      } else if (!turnAbout(n, Vec3::UnitZ())) {
        out.remarks.push_back("the wall is horizontal: it does not give the z direction");
      }
    }
  }
  // Size: the mean of what the gauges ask for.
  std::vector<double> sizes;
  for (const auto& s : constraints)
    if (s.kind == WorldConstraint::Kind::Scale) {
      const auto list = there(s, 2);
      if (!list.empty())
        if (const double d = (list[0].second - list[1].second).norm(); d > 1e-12) sizes.push_back(s.lengthM / d);
    }
  if (!sizes.empty()) {
    double sum = 0;
    for (const double v : sizes) sum += std::log(v);
    out.placement.size = std::exp(sum / static_cast<double>(sizes.size()));
    const auto [lo, hi] = std::minmax_element(sizes.begin(), sizes.end());
    if (*hi / *lo > 1.01)
      out.remarks.push_back(fmt::format("the scales disagree by {:.1f}%; their mean is kept", 100 * (*hi / *lo - 1)));
  }
  out.groundRms *= out.placement.size, out.wallRms *= out.placement.size;
  if (level) out.placement.shift.y() = -floorAt * out.placement.size;
  if (const auto* s = first(WorldConstraint::Kind::Origin)) {
    const auto list = there(*s, 1);
    if (!list.empty()) {
      const Vec3 at = out.placement.size * (turn * list[0].second);
      out.placement.shift = Vec3(-at.x(), level ? out.placement.shift.y() : -at.y(), -at.z());
    }
  }
  return out;
}

}  // namespace zentil::set
