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
/// Whether a part's content is made by comparing with an element.
inline bool comparesWith(const matte::Drawn&, const std::string&) { return false; }
inline bool comparesWith(const matte::Pictured&, const std::string&) { return false; }
bool comparesWith(const matte::Keyed& keyed, const std::string& element);
using matte::keyOf;
uint64_t keyOf(const PicturedNow& now);
uint64_t keyOf(const KeyedNow& now);

}  // namespace zentil::moment
