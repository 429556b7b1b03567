#include "core/shot/source_files.h"

#include "core/base/error.h"
#include "core/image/pictures.h"

namespace zentil::shot {

std::vector<std::string> openSourceFiles(Shot& shot) {
  std::vector<std::string> problems;
  for (auto& e : shot.elements)
    std::visit(
        [&](auto& source) {
          if constexpr (requires { source.files.pattern; }) {
            image::Plate& files = source.files;
            if (files.empty() || files.width > 0) return;
            try {
              image::Plate opened = image::openPictures(files.pattern, shot.hasPlate() ? shot.plate().fps : 0);
              if (!files.layer.empty()) opened.layer = files.layer;
              if (!files.colourSpace.empty()) opened.colourSpace = files.colourSpace;
              opened.unknown = files.unknown;
              files = opened;
            } catch (const Error& error) {
              problems.push_back(fmt::format("\"{}\": {}", e.name, error.problem()));
            }
          }
        },
        e.source);
  return problems;
}

}  // namespace zentil::shot
