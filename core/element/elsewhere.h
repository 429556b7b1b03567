#pragma once
#include "core/base/geometry.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::element {

/// Where on its surface a source is taken from, when not from where it lands: metres along the surface, to the right
/// and up in its own axes.
struct Elsewhere {
  value::Value<double> acrossM = 0.0, upM = 0.0;
  bool operator==(const Elsewhere&) const = default;
  Vec2 at(int frame) const { return {acrossM.at(frame), upM.at(frame)}; }
};

template <typename See>
void describe(const Elsewhere*, See&& see) {
  using value::label;
  see("acrossM", &Elsewhere::acrossM, label("shift across").within(-1000, 1000).in("m", 3).by(0.01));
  see("upM", &Elsewhere::upM, label("shift up").within(-1000, 1000).in("m", 3).by(0.01));
}

}  // namespace zentil::element
