#pragma once
#include "core/shot/words.h"

namespace zentil::shot {

// What is said of a part of a matte, by what it consists of; each kind's own file (drawn.cpp, pictured.cpp) defines it.

/// The words that follow a part's name: "drawn on frame 1001, rides the surface".
void addRide(Sentence& sentence, const matte::Drawn& drawn, const matte::Matte& matte, const matte::Part& part,
             const Wording& w);
void addRide(Sentence& sentence, const matte::Pictured& pictured, const matte::Matte& matte, const matte::Part& part,
             const Wording& w);
void addRide(Sentence& sentence, const matte::Keyed& keyed, const matte::Matte& matte, const matte::Part& part,
             const Wording& w);
/// What the part's limit is called: "the outline".
inline const char* limitOf(const matte::Drawn&) { return "the outline"; }
inline const char* limitOf(const matte::Pictured&) { return "the outline"; }
inline const char* limitOf(const matte::Keyed&) { return "the key"; }
void problemsOf(const matte::Drawn& drawn, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);
void problemsOf(const matte::Pictured& pictured, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);
void problemsOf(const matte::Keyed& keyed, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);

}  // namespace zentil::shot
