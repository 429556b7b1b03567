#pragma once
// Making pictures of a shot's frame in one call, as tests want it.
#include "core/comp/cg_render.h"
#include "core/comp/cover.h"
#include "core/comp/layer.h"
#include "core/comp/sight.h"
#include "core/comp/undistort.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/measure/level.h"
#include "core/measure/slip.h"
#include "core/output/deliver.h"
#include "core/output/lens_files.h"
#include "core/output/straight_plates.h"

namespace zentil::test {

inline image::Picture buildFrame(const shot::Shot& s, int frame, comp::RenderCache& w,
                                 const comp::BuildOptions& options = {}) {
  return comp::buildFrame(evaluate::resolve(s, frame), w, options);
}
/// An element's layer, empty where it does not show.
inline image::Picture buildLayer(const shot::Shot& s, const element::Element& e, int frame, comp::RenderCache& w,
                                 map::Filter filter) {
  const auto m = evaluate::ShotEvaluator::of(s)->only(e.id, frame);
  return !e.on || m.layers.empty() ? image::Picture() : comp::buildLayer(m, m.layers.front(), w, filter);
}
inline image::Picture matteAt(const shot::Shot& s, const element::Element& e, int frame, const Box& region,
                              comp::RenderCache& w) {
  const auto m = evaluate::ShotEvaluator::of(s)->only(e.id, frame);
  return comp::coverOver(m.layers.at(0).cover, *m.here, region, w);
}
inline comp::RenderCache::FramePtr sourceOf(const shot::Shot& s, const element::Element& e, comp::RenderCache& w) {
  const auto m = evaluate::ShotEvaluator::of(s)->only(e.id, s.range.first);
  return comp::heldFrame(m, m.layers.at(0), w);
}
inline map::MapPtr carrying(const shot::Shot& s, const std::string& surface, int from, int to, comp::RenderCache& w) {
  const auto t = evaluate::ShotEvaluator::of(s);
  return comp::carrying(*t->stage(from), surface, *t->stage(to), w);
}
inline map::MapPtr plateToPlate(const shot::Shot& s, const std::string& surface, int from, int to, bool needsSight,
                                comp::RenderCache& w) {
  const auto t = evaluate::ShotEvaluator::of(s);
  return comp::plateToPlate(*t->stage(from), surface, *t->stage(to), needsSight, w);
}
inline output::DeliveryReport deliver(const shot::Shot& s, const std::vector<int>& frames, comp::RenderCache& w,
                                      const Job& job = {}, const output::DeliveryWish& wish = {}) {
  return output::deliver(*evaluate::ShotEvaluator::of(s), frames, w, job, wish);
}
inline bool isUpToDate(const shot::Shot& s, int frame) {
  return output::isUpToDate(*evaluate::ShotEvaluator::of(s), frame);
}
inline output::StMaps stMapsOf(const shot::Shot& s, int frame, const Box& box, output::Origin origin) {
  return output::stMapsOf(*evaluate::ShotEvaluator::of(s)->stage(frame), box, origin);
}
inline std::vector<std::filesystem::path> writeLensFiles(const shot::Shot& s, int frame,
                                                         const std::filesystem::path& folder, output::Origin origin) {
  return output::writeLensFiles(*evaluate::ShotEvaluator::of(s), s.lens, frame, folder, origin);
}
inline std::vector<std::filesystem::path> writeStraightPlates(const shot::Shot& s, const std::vector<int>& frames,
                                                              const std::filesystem::path& folder, comp::RenderCache& w,
                                                              const Job& job = {}) {
  return output::writeStraightPlates(*evaluate::ShotEvaluator::of(s), frames, folder, w, job);
}
inline std::vector<comp::CutOff> cutOffs(const shot::Shot& s, const element::Element& e, comp::RenderCache& w) {
  return comp::cutOffs(*evaluate::ShotEvaluator::of(s), e.id, e.range.count() ? e.range : s.range, w, {});
}
inline measure::SlipAt slipAt(const shot::Shot& s, const element::Element& e, int frame, comp::RenderCache& w) {
  return measure::slipAt(*evaluate::ShotEvaluator::of(s), e.id, frame, w);
}
inline measure::Slip slipOver(const shot::Shot& s, const element::Element& e, comp::RenderCache& w) {
  return measure::slipOver(*evaluate::ShotEvaluator::of(s), e.id, w);
}
inline measure::SlipPictures slipPictures(const shot::Shot& s, const element::Element& e, int frame,
                                          comp::RenderCache& w) {
  const auto t = evaluate::ShotEvaluator::of(s);
  const auto m = t->only(e.id, frame);
  return measure::slipPictures(*t, m, m.layers.at(0), w);
}
inline std::array<double, 3> levelAround(const shot::Shot& s, const element::Element& e, int frame,
                                         comp::RenderCache& w) {
  return measure::levelAround(*evaluate::ShotEvaluator::of(s), e.id, frame, w);
}
/// The content key of a frame's finished picture.
inline uint64_t recipeKey(const shot::Shot& s, int frame) { return evaluate::resolve(s, frame).key; }

/// The part of an element's matte that is drawn: its first.
inline matte::Part& part(shot::Shot& s, size_t matte = 0, size_t part = 0) { return s.mattes.at(matte).parts.at(part); }
inline matte::RotoShapes& drawn(shot::Shot& s, size_t matte = 0, size_t p = 0) {
  return std::get<matte::RotoShapes>(part(s, matte, p).content);
}
inline element::Patch& held(element::Element& e) { return std::get<element::Patch>(e.source); }
inline element::Cg& render(element::Element& e) { return std::get<element::Cg>(e.source); }

}  // namespace zentil::test
