#include "core/comp/cg_render.h"

#include <cmath>
#include <filesystem>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/source_files.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::comp {
namespace {

using image::Picture;

/// What is resampled: premultiplied colour, or for a shadow what it takes away, which is nothing beyond the pass.
Picture prepared(const Picture& render, const element::Cg& cg) {
  Picture out = render;
  parallelRanges(0, static_cast<int>(out.values.size() / 4), 1 << 14, [&](int first, int last) {
    for (float* p = out.values.data() + static_cast<size_t>(first) * 4; first < last; ++first, p += 4) {
      if (cg.shadow)
        p[0] -= 1, p[1] -= 1, p[2] -= 1, p[3] = 1;
      else if (!cg.premultiplied)
        p[0] *= p[3], p[1] *= p[3], p[2] *= p[3];
    }
  });
  return out;
}

/// The part of the frame that a box of render pixels can reach.
Box boxOnPlate(const Box& render, const CgFit& fit, const lens::LensOnPixels& lens, const Box& frame) {
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  const auto visit = [&](double x, double y) {
    Vec2 p;
    if (!lens.plateFromStraight(fit.offset + fit.scale * Vec2(x, y), p) || !p.allFinite()) return false;
    lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
    return true;
  };
  constexpr int kSteps = 64;
  for (int k = 0; k <= kSteps; ++k) {
    const double x = render.x0 + static_cast<double>(k) / kSteps * render.width(),
                 y = render.y0 + static_cast<double>(k) / kSteps * render.height();
    // Beyond the fold nothing can be told by the border.
    if (!visit(x, render.y0) || !visit(x, render.y1) || !visit(render.x0, y) || !visit(render.x1, y)) return frame;
  }
  const auto whole = [](double v) { return static_cast<int>(std::floor(std::clamp(v, -1e6, 1e6))); };
  return intersect(frame, {whole(lo.x()) - 4, whole(lo.y()) - 4, whole(hi.x()) + 5, whole(hi.y()) + 5});
}

CgFit fitAt(const evaluate::SceneState& stage, const element::Cg& cg) {
  const int w = stage.frameBox.width(), h = stage.frameBox.height();
  return fitOf(cg.files, lens::straightBox(stage.lens, w, h), w, h);
}

/// Straight pixel to the render's.
Mat3 toRender(const CgFit& fit) {
  Mat3 out;
  out << 1 / fit.scale, 0, -fit.offset.x() / fit.scale, 0, 1 / fit.scale, -fit.offset.y() / fit.scale, 0, 0, 1;
  return out;
}

const char* wordFor(CutOff::Edge e) {
  constexpr const char* kNames[] = {"left", "top", "right", "bottom"};
  return kNames[static_cast<int>(e)];
}

}  // namespace

CgFit fitOf(const image::Plate& render, const Box& straight, int w, int h) {
  const double rw = render.width, rh = render.height;
  if (render.originX != 0 || render.originY != 0)
    return {1, Vec2(render.originX, render.originY), "placed by its display window"};
  if (rw == w && rh == h) return {1, Vec2::Zero(), "the plate's size, without overscan"};
  // A half, a third, a quarter, or as many times finer: of the plate, else of the straight picture, whose sides may
  // have been rounded.
  for (const double k : {1 / 2.0, 1 / 3.0, 1 / 4.0, 2.0, 3.0, 4.0}) {
    const auto is = [&](double fullWidth, double fullHeight) {
      return std::abs(rw - fullWidth * k) <= 0.51 && std::abs(rh - fullHeight * k) <= 0.51;
    };
    if (is(w, h)) return {w / rw, Vec2::Zero(), fmt::format("the plate's frame at {:.0f}%", 100 * k)};
    if (is(straight.width(), straight.height()))
      return {straight.width() / rw, Vec2(straight.x0, straight.y0),
              fmt::format("the straight picture at {:.0f}%", 100 * k)};
  }
  if (rw >= w && rh >= h) return {1, Vec2((w - rw) / 2, (h - rh) / 2), "overscan by its size, the same on both sides"};
  throw Error(fmt::format("{}: is {} x {}, which fits neither the plate ({} x {}) nor the straight picture ({} x {})",
                          render.pattern, render.width, render.height, w, h, straight.width(), straight.height()),
              "Render it at one of these sizes, or at the same part of both sides of one");
}

template <>
SourceResult SourceMaker<element::Cg>::make(const element::Cg& cg, const SourceContext& m) {
  if (m.layer.files.empty()) return {};
  const auto& file = m.layer.files.front();
  const auto render = m.cache.frame(file);
  if (!cg.shadow && !render->hasAlpha)
    throw Error(fmt::format("frame {}, {}: has no alpha to composite with", file.frame, file.files.fileOf(file.frame)),
                "Render it with alpha, or take it as a shadow pass");
  const evaluate::SceneState& plate = m.here().plateScene();
  const CgFit fit = fitAt(plate, cg);
  ByStraightPixel address;
  address.toSource = toRender(fit);
  address.toSourceOn = [cg](const evaluate::SceneState& other) { return toRender(fitAt(other.plateScene(), cg)); };
  if (!cg.shadow) address.passes = [file] { return image::readPasses(file.files, file.frame); };
  address.reach = [data = render->picture.data, fit, lens = plate.lens](const Box& frame) {
    return boxOnPlate(data, fit, lens, frame);
  };
  SourceResult made{std::make_shared<const Picture>(prepared(render->forReading(), cg)), address, {}, {}};
  if (!cg.shadow) return made;
  made.merge = element::Merge::Multiply;
  made.after = [](Picture& layer) {
    for (size_t i = 0; i < layer.values.size(); i += 4) {
      float* p = layer.values.data() + i;
      if (p[0] == 0 && p[1] == 0 && p[2] == 0)
        p[3] = 0;
      else
        for (int c = 0; c < 4; ++c) p[c] = c < 3 ? std::max(0.0f, 1 + p[c]) : 1.0f;
    }
  };
  return made;
}

std::vector<CutOff> cutOffs(const evaluate::ShotEvaluator& evaluator, const std::string& id, const FrameRange& range,
                            RenderCache& cache, const Job& job) {
  std::vector<CutOff> out;
  for (int f = range.first; f <= range.last && !job.stopped(); ++f) {
    job.report(static_cast<double>(f - range.first) / range.count(), fmt::format("frame {}", f));
    const evaluate::FrameState state = evaluator.only(id, f);
    const auto* layer = state.layer(id);
    const auto* cg = layer ? std::get_if<element::Cg>(&layer->source) : nullptr;
    if (!cg || layer->files.empty() || !state.here->hasCamera) continue;
    RenderCache::FramePtr render;
    try {
      render = cache.frame(layer->files.front());
    } catch (const Error&) {
      continue;  // named where it is shown
    }
    const CgFit fit = fitAt(*state.here, *cg);
    const auto& lens = state.here->lens;
    const int width = state.frameBox().width(), height = state.frameBox().height();
    const Picture& p = render->forReading();
    // What was rendered ends at the display window, or further out where the data window goes beyond it.
    const Box whole = unite(p.display, p.data), data = p.data;
    double worst[4] = {0, 0, 0, 0};
    const auto look = [&](CutOff::Edge edge, int x, int y, const Vec2& at) {
      const float* v = p.pixel(x, y);
      const bool something = cg->shadow ? std::min({v[0], v[1], v[2]}) < 0.998f : v[3] > 0.002f;
      Vec2 q;
      if (!something || !lens.plateFromStraight(fit.offset + fit.scale * at, q)) return;
      if (q.x() <= 0 || q.y() <= 0 || q.x() >= width || q.y() >= height) return;
      const double in[] = {q.x(), q.y(), width - q.x(), height - q.y()};
      double& w = worst[static_cast<int>(edge)];
      w = std::max(w, in[static_cast<int>(edge)]);
    };
    for (int y = data.y0; y < data.y1; ++y) {
      if (data.x0 == whole.x0) look(CutOff::Edge::Left, data.x0, y, Vec2(data.x0, y + 0.5));
      if (data.x1 == whole.x1) look(CutOff::Edge::Right, data.x1 - 1, y, Vec2(data.x1, y + 0.5));
    }
    for (int x = data.x0; x < data.x1; ++x) {
      if (data.y0 == whole.y0) look(CutOff::Edge::Top, x, data.y0, Vec2(x + 0.5, data.y0));
      if (data.y1 == whole.y1) look(CutOff::Edge::Bottom, x, data.y1 - 1, Vec2(x + 0.5, data.y1));
    }
    for (int e = 0; e < 4; ++e)
      if (worst[e] > 0.05) out.push_back({f, static_cast<CutOff::Edge>(e), worst[e]});
  }
  return out;
}

std::string wordsFor(const std::vector<CutOff>& cuts, const evaluate::ShotEvaluator& evaluator,
                     const std::string& name) {
  std::string out;
  for (int e = 0; e < 4; ++e) {
    std::vector<int> frames;
    double most = 0;
    for (const CutOff& c : cuts)
      if (static_cast<int>(c.edge) == e) frames.push_back(c.frame), most = std::max(most, c.px);
    if (frames.empty()) continue;
    out += fmt::format("{}{} edge, frames {}, up to {:.0f} px", out.empty() ? "" : "; ",
                       wordFor(static_cast<CutOff::Edge>(e)), describeFrames(frames), std::ceil(most));
  }
  if (out.empty()) return out;
  const Box need = evaluator.straight();
  return fmt::format("{} ends inside the frame: {}. Rendered {} x {} (the plate has {} x {}) it would cover", name, out,
                     need.width(), need.height(), evaluator.frameBox().width(), evaluator.frameBox().height());
}

bool looksUnpremultiplied(const Picture& p) {
  // Premultiplied, colour falls with alpha: at the edges it is alpha times what it is inside, about.
  double inside = 0, edge = 0, expected = 0;
  size_t n = 0;
  for (size_t i = 0; i + 3 < p.values.size(); i += 4) {
    const float* v = p.values.data() + i;
    if (v[3] > 0.98f) inside += v[0] + v[1] + v[2], ++n;
  }
  if (n < 16) return false;
  inside /= static_cast<double>(n);
  for (size_t i = 0; i + 3 < p.values.size(); i += 4) {
    const float* v = p.values.data() + i;
    if (v[3] > 0.05f && v[3] < 0.5f) edge += v[0] + v[1] + v[2], expected += v[3] * inside;
  }
  return expected > 0 && edge > 2.2 * expected;
}

template <>
void SourceFiles<element::Cg>::take(element::Cg& cg, element::Element& e, const std::string& file,
                                    const FilesFor& shot) {
  cg.files = image::openPlate(file, shot.fps);
  // Says so when it does not fit.
  if (shot.straight) fitOf(cg.files, shot.straight(), shot.width, shot.height);
  e.name = "CG " + std::filesystem::path(cg.files.pattern).filename().string();
  e.name = e.name.substr(0, e.name.find_first_of(".#"));
  const auto first = image::readFrame(cg.files, cg.files.range.first);
  // A pass without alpha can only be a shadow.
  cg.shadow = !first.hasAlpha;
  cg.premultiplied = cg.shadow || !looksUnpremultiplied(first.forReading());
}

}  // namespace zentil::comp
