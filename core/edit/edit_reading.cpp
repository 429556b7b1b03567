#include "core/edit/edit_reading.h"

using nlohmann::json;

namespace zentil::edit {

std::string textOf(const json& e, const char* key, const std::string& otherwise) {
  if (!e.contains(key)) return otherwise;
  if (!e.at(key).is_string()) throw Error(fmt::format("\"{}\" has to be text", key), "");
  return e.at(key);
}

std::optional<int> frameOf(const json& e) {
  if (!e.contains("frame")) return std::nullopt;
  const json& f = e.at("frame");
  if (!f.is_number_integer() || std::abs(f.get<double>()) > 1e9)
    throw Error("\"frame\" has to be a frame's number", "");
  return f.get<int>();
}

int needFrame(const json& e) {
  const auto f = frameOf(e);
  if (!f) throw Error("it does not say on which frame", "Give \"frame\"");
  return *f;
}

std::vector<Vec2> placesOf(const json& list) {
  std::vector<Vec2> out;
  if (!list.is_array()) throw Error("a list of places is expected", "Write [[x, y], ...]");
  for (const json& p : list) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number())
      throw Error("a place is two numbers", "Write [x, y]");
    out.emplace_back(p[0].get<double>(), p[1].get<double>());
  }
  return out;
}

json asOf(const json& e) { return e.contains("as") ? e.at("as") : json::object(); }

}  // namespace zentil::edit
