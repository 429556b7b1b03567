#include "core/base/json_file.h"

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"

namespace zentil {

nlohmann::json readJson(const std::filesystem::path& file) {
  const std::string text = readText(file);
  refuseDeepNesting(text, file.string());
  try {
    return nlohmann::json::parse(text);
  } catch (const nlohmann::json::parse_error& e) {
    throw Error(fmt::format("{}: is not readable JSON from byte {} of {} on", file.string(), e.byte, text.size()),
                "Correct it there, or save it again where it was made");
  } catch (const nlohmann::json::out_of_range&) {
    throw Error(fmt::format("{}: holds a number that is too large", file.string()), "Correct it");
  }
}

}  // namespace zentil
