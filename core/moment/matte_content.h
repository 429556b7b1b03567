#pragma once
#include "core/moment/moment.h"

namespace zentil::moment {

/// Where a part of a matte is evaluated.
struct PartWhere {
  const Timeline& timeline;
  const shot::Shot& shot;
  const std::string& elementSurface;
  int frame = 0;
};

// Each kind of content in its own file: what it is on a frame, and how it rides there.
void put(const matte::Drawn& drawn, const matte::Part& part, const PartWhere& where, MattePart& out);
void put(const matte::Pictured& pictured, const matte::Part& part, const PartWhere& where, MattePart& out);
void put(const matte::Keyed& keyed, const matte::Part& part, const PartWhere& where, MattePart& out);
using matte::keyOf;
uint64_t keyOf(const PicturedNow& now);
uint64_t keyOf(const KeyedNow& now);

}  // namespace zentil::moment
