#include "core/output/layers.h"

#include <algorithm>
#include <map>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/comp/layer_depth.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/output/protect_inputs.h"
#include "core/output/refuse.h"

namespace fs = std::filesystem;

namespace zentil::output {
namespace {

/// Depth and motion of a layer, where it has them.
struct Passes {
  image::Picture depth, motion;
  std::vector<image::ExtraChannels> channels;
};

Passes passesOf(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state,
                const evaluate::Layer& layer, const image::Picture& colour, comp::RenderCache& cache) {
  Passes out;
  out.depth = comp::layerDepth(state, layer, colour, cache);
  out.channels.push_back({{"Z"}, &out.depth});
  const auto frames = evaluator.plateFrames();
  const int next = state.frame + 1;
  if (!std::binary_search(frames.begin(), frames.end(), next) || !evaluator.stage(next)->hasCamera) return out;
  out.motion = comp::layerMotion(state, layer, colour, *evaluator.output(next).here, cache);
  if (out.motion.empty()) return out;
  // Published for EXR: up is positive.
  for (size_t i = 1; i < out.motion.values.size(); i += 4) out.motion.values[i] *= -1;
  out.channels.push_back({{"forward.u", "forward.v"}, &out.motion});
  return out;
}

}  // namespace

std::vector<fs::path> writeLayers(const evaluate::ShotEvaluator& evaluator, const std::vector<std::string>& elements,
                                  const std::vector<int>& frames, const fs::path& folder, comp::RenderCache& cache,
                                  const Job& job, std::vector<std::string>* without) {
  if (frames.empty()) throw Error("no frame is asked for", "Choose some within the shot's range");
  requireSound(evaluator, frames);
  // Everything is asked before anything is written.
  struct Wish {
    int frame;
    std::string id;
    fs::path file;
  };
  std::vector<Wish> wishes;
  std::vector<fs::path> files;
  std::map<std::string, std::string> names;  // by id
  const std::string shot = asFileName(evaluator.name().empty() ? "shot" : evaluator.name());
  for (const auto& id : elements) (void)evaluator.placeOf(id);
  for (const int f : frames)
    for (const auto& layer : evaluator.at(f).layers) {
      if (!elements.empty() && std::find(elements.begin(), elements.end(), layer.id) == elements.end()) continue;
      names[layer.id] = asFileName(layer.name);
      wishes.push_back({f, layer.id, folder / fmt::format("{}_{}.{:04}.exr", shot, names[layer.id], f)});
      files.push_back(wishes.back().file);
    }
  if (wishes.empty()) throw Error("no element shows on these frames", "Switch one on at Work, or choose other frames");
  for (const auto& [id, name] : names)
    for (const auto& [other, same] : names)
      if (id < other && name == same)
        throw Error(fmt::format("two elements are called \"{}\": their files would have one name", name), "Rename one");
  refuseInputs(evaluator, files);
  image::refuseOthers(files);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (!fs::is_directory(folder, ec))
    throw Error(fmt::format("{} cannot be made", folder.string()), "Choose a place that may be written to");
  double done = 0;
  std::optional<evaluate::FrameState> state;
  for (const Wish& wish : wishes) {
    job.checkpoint();
    job.report(done++ / static_cast<double>(wishes.size()), fmt::format("frame {}", wish.frame));
    if (!state || state->frame != wish.frame) state = evaluator.output(wish.frame);
    const auto& layer = *state->layer(wish.id);
    image::Picture colour = comp::buildLayer(*state, layer, cache, map::Filter::Sharper);
    // What shows nothing is a file all the same: of one pixel.
    if (colour.empty()) colour = image::Picture({0, 0, 1, 1}, state->frameBox(), 4);
    Passes passes;
    try {
      passes = passesOf(evaluator, *state, layer, colour, cache);
      passes.channels.front().picture = &passes.depth;
      if (passes.channels.size() > 1) passes.channels.back().picture = &passes.motion;
    } catch (const Error&) {
      if (without && std::find(without->begin(), without->end(), layer.name) == without->end())
        without->push_back(layer.name);
    }
    // The display window begins at the origin.
    const Box frame = state->frameBox();
    for (image::Picture* p : {&colour, &passes.depth, &passes.motion}) {
      if (p->empty()) continue;
      p->data = {p->data.x0 - frame.x0, p->data.y0 - frame.y0, p->data.x1 - frame.x0, p->data.y1 - frame.y0};
      p->display = {0, 0, frame.width(), frame.height()};
    }
    image::WriteOptions options;
    options.alpha = true, options.extra = passes.channels;
    options.pixelAspect = evaluator.outputPixelAspect();
    options.notes["ImageDescription"] = options.notes["DocumentName"] =
        fmt::format("{} {} layer {}", image::kMark, wish.frame, layer.name);
    image::writePicture(wish.file, colour, options);
  }
  job.report(1, "done");
  return files;
}

}  // namespace zentil::output
