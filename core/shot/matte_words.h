#pragma once
#include "core/shot/words.h"

namespace zentil::shot {

// What is said of a part of a matte, by what it consists of; each kind's own file (drawn.cpp, pictured.cpp) defines it.

/// The words that follow a part's name: "drawn on frame 1001, rides the surface".
void addFollows(Sentence& sentence, const matte::RotoShapes& drawn, const matte::Matte& matte, const matte::Part& part,
                const Wording& w);
void addFollows(Sentence& sentence, const matte::ImageMatte& pictured, const matte::Matte& matte,
                const matte::Part& part, const Wording& w);
void addFollows(Sentence& sentence, const matte::Keyer& keyed, const matte::Matte& matte, const matte::Part& part,
                const Wording& w);
/// What the part's limit is called: "the outline".
inline const char* limitOf(const matte::RotoShapes&) { return "the outline"; }
inline const char* limitOf(const matte::ImageMatte&) { return "the outline"; }
inline const char* limitOf(const matte::Keyer&) { return "the key"; }
void problemsOf(const matte::RotoShapes& drawn, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);
void problemsOf(const matte::ImageMatte& pictured, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);
void problemsOf(const matte::Keyer& keyed, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                std::vector<Problem>& out);

}  // namespace zentil::shot
