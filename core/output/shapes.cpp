#include "core/output/shapes.h"

#include <fmt/format.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "core/base/files.h"
#include "core/comp/cover.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::output {
namespace {

std::string svgOf(const std::vector<comp::Outline>& outlines, const Box& frame) {
  std::string out = fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!-- {} -->\n<svg xmlns=\"http://www.w3.org/2000/svg\" "
      "width=\"{}\" height=\"{}\" viewBox=\"0 0 {} {}\">\n<rect width=\"100%\" height=\"100%\" fill=\"#000\"/>\n",
      image::kMark, frame.width(), frame.height(), frame.width(), frame.height());
  for (const auto& o : outlines) {
    out += fmt::format("<path fill=\"{}\" d=\"", o.adds ? "#fff" : "#000");
    for (size_t i = 0; i < o.points.size(); ++i)
      out += fmt::format("{}{:.3f},{:.3f}", i ? " L" : "M", o.points[i].x(), o.points[i].y());
    out += " Z\"/>\n";
  }
  return out + "</svg>\n";
}

json jsonOf(const std::vector<comp::Outline>& outlines) {
  json shapes = json::array();
  for (const auto& o : outlines) {
    json points = json::array();
    for (const Vec2& p : o.points) points.push_back({std::round(p.x() * 1000) / 1000, std::round(p.y() * 1000) / 1000});
    shapes.push_back({{"adds", o.adds}, {"softPx", o.softPx}, {"points", points}});
  }
  return shapes;
}

/// Whether a text file is one of ours.
bool isOurs(const fs::path& file) {
  std::ifstream in(file);
  std::string head(200, '\0');
  in.read(head.data(), static_cast<std::streamsize>(head.size()));
  return head.find(image::kMark) != std::string::npos;
}

}  // namespace

ShapesWritten writeShapes(const evaluate::ShotEvaluator& evaluator, const std::vector<MatteWish>& mattes,
                          const std::vector<int>& frames, const fs::path& folder, comp::RenderCache& cache,
                          const Job& job) {
  prepareFor(mattes, frames, folder);
  ShapesWritten out;
  std::vector<std::pair<fs::path, std::string>> files;
  double done = 0;
  for (const auto& m : mattes) {
    const std::string name = stemOf(evaluator, m);
    const Box frame = evaluator.stage(frames[0])->frameBox;
    json all = {{"by", image::kMark}, {"matte", m.name}, {"width", frame.width()}, {"height", frame.height()}};
    all["frames"] = json::array();
    int others = 0;
    for (const int f : frames) {
      job.checkpoint();
      job.report(done++ / static_cast<double>(frames.size() * mattes.size()), fmt::format("frame {}", f));
      const auto outlines = comp::outlinesOf(evaluator.matteAt(m.id, f), *evaluator.stage(f), cache, others);
      files.emplace_back(folder / fmt::format("{}.{:04}.svg", name, f), svgOf(outlines, frame));
      all["frames"].push_back({{"frame", f}, {"shapes", jsonOf(outlines)}});
    }
    files.emplace_back(folder / (name + ".json"), all.dump(1));
    if (others > 0)
      out.notes.push_back(
          fmt::format("{} of the parts of \"{}\" are no shapes: they are in its pictures only", others, m.name));
  }
  std::error_code ec;
  for (const auto& [file, text] : files)
    if (fs::exists(file, ec) && !isOurs(file))
      throw Error(fmt::format("Zentil did not write {}: it would be replaced", file.string()),
                  "Choose another folder, or move it away");
  for (const auto& [file, text] : files) {
    writeText(file, text);
    out.files.push_back(file);
  }
  job.report(1, "done");
  return out;
}

}  // namespace zentil::output
