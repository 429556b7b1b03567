#pragma once
#include "core/comp/cover.h"

namespace zentil::comp {

// How each kind of a matte's content covers, in a file of its own (keyer_render.cpp, ...): inverting and combining are
// others' business.

/// Its coverage over a region, one channel.
template <typename Content>
image::Picture coverageOf(const Content& content, const evaluate::MattePart& part, const evaluate::SceneState& here,
                          const Box& region, RenderCache& cache);
/// The box outside of which it covers nothing.
template <typename Content>
Box boxOf(const Content& content, const evaluate::MattePart& part, const evaluate::SceneState& here,
          RenderCache& cache);
/// Its closed lines as they lie here; none for what has no shapes.
template <typename Content>
std::vector<Outline> outlinesOf(const Content& content, const evaluate::MattePart& part,
                                const evaluate::SceneState& here, RenderCache& cache);

}  // namespace zentil::comp
