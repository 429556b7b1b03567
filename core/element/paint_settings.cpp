#include "core/element/paint_settings.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/hash.h"

namespace zentil::element {
namespace {
constexpr double kFarthest = 100000;  ///< px
constexpr size_t kMostPoints = 200000;
}  // namespace

PenPath::PenPath(std::vector<PenPoint> points) {
  if (points.empty()) return;
  key_ = hashOf("pen");
  for (const auto& p : points)
    for (const double v : {p.x, p.y, p.pressure}) {
      uint64_t bits;
      const double plain = v + 0.0;  // -0 and 0 are one
      __builtin_memcpy(&bits, &plain, 8);
      key_ = hashOf(bits, key_);
    }
  points_ = std::make_shared<const std::vector<PenPoint>>(std::move(points));
}

bool PenPath::operator==(const PenPath& o) const {
  return points_ == o.points_ || (key_ == o.key_ && std::ranges::equal(points(), o.points()));
}

nlohmann::json asJson(const PenPath& penPath) {
  auto out = nlohmann::json::array();
  for (const auto& p : penPath.points()) out.push_back(p.x), out.push_back(p.y), out.push_back(p.pressure);
  return out;
}

void fromJson(const nlohmann::json& j, PenPath& penPath) {
  if (!j.is_array() || j.size() % 3 || j.size() / 3 > kMostPoints)
    throw Error("a pen's way is x, y and pressure, again and again", "Write [x, y, pressure, x, y, pressure, ...]");
  std::vector<PenPoint> points;
  points.reserve(j.size() / 3);
  for (size_t i = 0; i < j.size(); i += 3) {
    for (size_t k = 0; k < 3; ++k)
      if (!j[i + k].is_number() || !(std::abs(j[i + k].get<double>()) <= kFarthest))
        throw Error("a pen's way leaves every picture", "Give places in pixels");
    points.push_back({j[i], j[i + 1], std::clamp(j[i + 2].get<double>(), 0.0, 1.0)});
  }
  penPath = PenPath(std::move(points));
}

std::string Paint::freshStrokeId() const {
  int n = 0;
  for (const auto& s : strokes)
    if (s.id.size() > 1 && s.id[0] == 'k') n = std::max(n, std::atoi(s.id.c_str() + 1));
  return "k" + std::to_string(n + 1);
}

Stroke* Paint::stroke(const std::string& id) {
  for (auto& s : strokes)
    if (s.id == id) return &s;
  return nullptr;
}

}  // namespace zentil::element
